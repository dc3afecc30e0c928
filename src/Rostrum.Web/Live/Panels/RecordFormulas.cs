using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels;

/// <summary>
/// The formulas of a panel that are over each of its records: they are columns of its request, and so are computed where the records are.
/// </summary>
/// <param name="run">The look at the page.</param>
/// <param name="panel">The panel.</param>
/// <param name="kind">A word by which the columns differ from those of others in the same request.</param>
internal sealed class RecordFormulas(PageRun run, Panel panel, string kind)
{
    private readonly ImmutableArray<ComputedColumn>.Builder _columns = ImmutableArray.CreateBuilder<ComputedColumn>();

    /// <summary>What is to be asked of each record.</summary>
    public ImmutableArray<ComputedColumn> Columns => _columns.ToImmutable();

    /// <summary>A setting that is a value as it stands, or a formula over each record after <c>=</c>. A wrong formula is blank.</summary>
    public RecordValue Setting(string? text, FormulaType? wanted = null) =>
        Computed.IsFormula(text)
            ? Formula(new FormulaPlace(text![1..]) { OverRecord = true, Wanted = wanted })
            : new RecordValue(run, text, null, null);

    /// <summary>A setting that is yes, no, or a formula over each record.</summary>
    public RecordValue Toggle(string? text) =>
        Computed.IsFormula(text) ? Setting(text, new FormulaType.Boolean()) : new RecordValue(run, text is null or "yes", null, null);

    /// <summary>A formula over each record.</summary>
    public RecordValue Formula(FormulaPlace place)
    {
        var formula = run.Scope.Check(panel, place);
        if (formula.Tree is not { } tree || run.Scope.Problem(panel, place, formula) is not null)
        {
            return new RecordValue(run, null, null, null);
        }

        var name = new FieldName($"{kind} {_columns.Count}");
        _columns.Add(new ComputedColumn(name, place.Formula));
        return new RecordValue(run, null, name, tree);
    }
}

/// <summary>What a setting comes to for each record.</summary>
internal readonly record struct RecordValue(PageRun Run, object? Constant, FieldName? Column, Typed? Tree)
{
    public object? Of(Record? record) => Column is { } column ? record?[column] : Constant;

    public bool Holds(Record? record) => Of(record) is true;

    /// <summary>The value as people read it.</summary>
    public string Shown(Record? record) => Tree is { } tree ? Run.Shown(tree, Of(record)) : Constant as string ?? "";
}
