using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>
/// What a new record has in a field unless a person says otherwise: a value as it is typed, or a formula after <c>=</c> over <c>user</c>
/// and the moment.
/// </summary>
public static class FieldDefault
{
    private static readonly FormulaShape Nothing = new("new record", []);

    /// <summary>The value of a field's default, or what is wrong with it. A field without one has a blank.</summary>
    /// <param name="field">The field.</param>
    /// <param name="user">Who is signed in.</param>
    /// <param name="context">The moment.</param>
    public static Parsed Value(Field field, SignedIn? user, FormulaContext context)
    {
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(context);
        if (string.IsNullOrEmpty(field.Default))
        {
            return new Parsed.Value(null);
        }

        var value = field.Default.StartsWith('=')
            ? Computed(field, field.Default[1..], user, context)
            : FieldText.FromInput(field.Type, field.Default, context.Zone);
        return value is Parsed.Value { Is: { } some } && ChangeChecks.Problem(field, some) is { } problem
            ? new Parsed.Problem(problem)
            : value;
    }

    /// <summary>The values of all defaults that a new record does not give itself; those with a problem are left out.</summary>
    public static FieldValues Missing(Dataset dataset, FieldValues given, SignedIn? user, FormulaContext context)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(given);
        return Filled(dataset.Fields.Where(field => field is { Default: not null, Formula: null }), given, user, context);
    }

    /// <summary>The values of a change, with those that are given again with each.</summary>
    public static FieldValues Renewed(Dataset dataset, FieldValues given, SignedIn? user, FormulaContext context)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(given);
        return Filled(dataset.Fields.Where(field => field is { IsRenewed: true, IsWritten: true }), given, user, context);
    }

    // What is given, with the defaults of those fields that it says nothing about.
    private static FieldValues Filled(IEnumerable<Field> fields, FieldValues given, SignedIn? user, FormulaContext context) =>
        fields
            .Where(field => !given.Has(field.Name))
            .Aggregate(given, (values, field) =>
                Value(field, user, context) is Parsed.Value { Is: { } value } ? values.With(field.Name, value) : values
            );

    private static Parsed Computed(Field field, string text, SignedIn? user, FormulaContext context)
    {
        var formula = SignedIn.Names(user).Check(Nothing, text);
        if (formula.Tree is not { } tree)
        {
            return new Parsed.Problem(formula.Problems[0].Message);
        }

        return !CanHold(field.Type, tree.Type) ? NotFitting(tree.Type)
            : Compiler.Compile(tree, once: true)(new FormulaRecord(Nothing, []), context with { Given = SignedIn.Given(user) }) is { } value
                ? FieldValue(field.Type, tree.Type, value, context.Zone)
            : new Parsed.Value(null);
    }

    /// <summary>Why a formula of some type gives nothing that a field can hold; null where it may.</summary>
    public static string? Misfit(Field field, FormulaType of)
    {
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(of);
        return CanHold(field.Type, of) ? null : NotFitting(of).Message;
    }

    /// <summary>A formula's value as a value of a field, or why the field cannot hold it.</summary>
    /// <param name="type">The field's type.</param>
    /// <param name="of">The formula's type.</param>
    /// <param name="value">The value.</param>
    /// <param name="zone">The zone in which moments become days.</param>
    public static Parsed FieldValue(FieldType type, FormulaType of, object value, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(type);
        return type.FromFormula(value, zone) ?? NotFitting(of);
    }

    private static bool CanHold(FieldType type, FormulaType of) => of is FormulaType.Blank || type.CanHold(of);

    private static Parsed.Problem NotFitting(FormulaType of) => new($"The formula gives a {of.Word}, which does not fit here.");
}
