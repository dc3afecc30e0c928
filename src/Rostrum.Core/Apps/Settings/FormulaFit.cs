using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

/// <summary>Whether a formula is what its place expects.</summary>
internal static class FormulaFit
{
    /// <summary>What keeps a formula from being what its place expects; null where nothing does.</summary>
    /// <param name="types">The types of datasets' records.</param>
    /// <param name="own">The dataset of the panel or the step in which it stands.</param>
    /// <param name="place">The formula and what is expected of it.</param>
    /// <param name="formula">The same, checked.</param>
    public static string? Problem(MemberTypes types, DatasetId? own, FormulaPlace place, CheckedFormula formula)
    {
        if (place.Unclosed)
        {
            return "A formula is not closed with }.";
        }

        if (formula.Tree is not { } tree)
        {
            return formula.Problems[0].Message;
        }

        if (place.RecordOf is { } of)
        {
            var wanted = types.Record(of == default ? own : of);
            return wanted is null || tree.Type.Serves(wanted)
                ? null
                : $"It gives a {tree.Type.Word}, and should give one {wanted.Shape.Name}.";
        }

        if (place.Into is { } into)
        {
            return types.Dataset(into.Dataset ?? own)?.Find(into.Field) is not { } field ? "The field is no longer there."
                : tree is Typed.Scope or { Type: FormulaType.Record } ? RecordInto(types, into.Dataset ?? own, field, tree.Type)
                : FieldDefault.Misfit(field, tree.Type);
        }

        if (place.AnyList && tree.Type is not FormulaType.List)
        {
            return $"It gives a {tree.Type.Word}, and should give a list.";
        }

        return place.Wanted is { } type
            ? tree.Type.Serves(type) || (type is FormulaType.Text && IsSingle(tree.Type))
                ? null
                : $"It gives a {tree.Type.Word}, and should give a {type.Word}."
            : place.Anything || IsSingle(tree.Type) || (tree.Type is FormulaType.Record && place.OrRecord)
                ? null
                : tree.Type is FormulaType.Record { Shape: var one }
                    ? $"It gives a whole {one.Name}. For what names it, write TITLE({place.Formula})."
                    : $"It gives a {tree.Type.Word}, and should give a single value.";
    }

    private static bool IsSingle(FormulaType type) => type is not (FormulaType.List or FormulaType.Record or FormulaType.Json);

    // A record can be put into the field by which records refer to it.
    private static string? RecordInto(MemberTypes types, DatasetId? dataset, Field field, FormulaType type) =>
        types.Dataset(dataset)?.RelationOf(field.Name) is { } relation && types.Record(relation.Target) is { } wanted
            ? type.Serves(wanted)
                ? null
                : $"It gives a {type.Word}, and should give one {wanted.Shape.Name}."
            : $"It gives a {type.Word}, which does not fit here.";
}
