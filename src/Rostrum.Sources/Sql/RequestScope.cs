using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>Whose request a statement is for.</summary>
/// <param name="Catalogue">The datasets.</param>
/// <param name="Grants">What the person may see.</param>
/// <param name="Context">The request's moment, for the conditions of policies.</param>
/// <param name="Formulas">The request's formulas; null where it has none.</param>
internal sealed record RequestScope(DatasetCatalogue Catalogue, Grants Grants, FormulaContext Context, RequestFormulas? Formulas = null)
{
    public static RequestScope Of(DatasetCatalogue catalogue, Grants grants, RequestFormulas formulas) =>
        new(catalogue, grants, formulas.Context, formulas);
}
