using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>What a new record has in a field unless a person says otherwise: a value as it is typed, or a formula after <c>=</c> over <c>user</c> and the moment.</summary>
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

        var value = field.Default.StartsWith('=') ? Computed(field, field.Default[1..], user, context) : FieldText.FromInput(field.Type, field.Default, context.Zone);
        return value is Parsed.Value { Is: { } some } && ChangeChecks.Problem(field, some) is { } problem ? new Parsed.Problem(problem) : value;
    }

    /// <summary>The values of all defaults that a new record does not give itself; those with a problem are left out.</summary>
    public static FieldValues Missing(Dataset dataset, FieldValues given, SignedIn? user, FormulaContext context)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(given);
        return dataset.Fields.Where(field => field is { Default: not null, Formula: null } && !given.Has(field.Name))
            .Aggregate(given, (values, field) => Value(field, user, context) is Parsed.Value { Is: { } value } ? values.With(field.Name, value) : values);
    }

    private static Parsed Computed(Field field, string text, SignedIn? user, FormulaContext context)
    {
        var formula = SignedIn.Names(user).Check(Nothing, text);
        if (formula.Tree is not { } tree)
        {
            return new Parsed.Problem(formula.Problems[0].Message);
        }

        return !CanHold(field.Type, tree.Type) ? NotFitting(tree.Type) : Compiler.Compile(tree, once: true)(new FormulaRecord(Nothing, []), context with { Given = SignedIn.Given(user) }) is { } value ? FieldValue(field.Type, tree.Type, value, context.Zone) : new Parsed.Value(null);
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
    public static Parsed FieldValue(FieldType type, FormulaType of, object value, TimeZoneInfo zone) => (type, value) switch
    {
        (FieldType.Text or FieldType.Choice, string) or (FieldType.Number or FieldType.Floating, decimal) or (FieldType.YesNo, bool) or (FieldType.Date, DateOnly) or (FieldType.Time, TimeOnly) or (FieldType.Instant, DateTimeOffset) => new Parsed.Value(value),
        (FieldType.Integer, decimal number) when decimal.IsInteger(number) && number is >= long.MinValue and <= long.MaxValue => new Parsed.Value((long)number),
        (FieldType.Integer, decimal) => new Parsed.Problem("The formula gives a number with decimals, and the field holds whole ones."),
        (FieldType.Uuid, string text) => FieldText.FromCanonical(type, text),
        (FieldType.Date, DateTimeOffset instant) => new Parsed.Value(DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(instant, zone).DateTime)),
        (FieldType.LocalDateTime, DateTimeOffset instant) => new Parsed.Value(TimeZoneInfo.ConvertTime(instant, zone).DateTime),
        (FieldType.Instant or FieldType.LocalDateTime, DateOnly date) => FieldText.FromInput(type, string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{date:yyyy-MM-dd}T00:00"), zone),
        _ => NotFitting(of),
    };

    private static bool CanHold(FieldType type, FormulaType of) => of switch
    {
        FormulaType.Blank => true,
        FormulaType.Text or FormulaType.Choice => type is FieldType.Text or FieldType.Choice or FieldType.Uuid,
        FormulaType.Number => type.IsNumeric,
        FormulaType.Boolean => type is FieldType.YesNo,
        FormulaType.Date or FormulaType.DateTime => type is FieldType.Date or FieldType.Instant or FieldType.LocalDateTime,
        FormulaType.Time => type is FieldType.Time,
        _ => false,
    };

    private static Parsed.Problem NotFitting(FormulaType of) => new($"The formula gives a {of.Word}, which does not fit here.");
}
