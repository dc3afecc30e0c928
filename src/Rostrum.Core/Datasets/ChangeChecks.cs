using System.Collections.Immutable;
using System.Globalization;
using System.Text;

namespace Rostrum.Core.Datasets;

/// <summary>Holds a change against what its dataset's fields can take, before any source is asked.</summary>
public static class ChangeChecks
{
    /// <summary>Everything that is wrong with the values of a change; nothing for a deletion.</summary>
    /// <param name="dataset">The dataset.</param>
    /// <param name="change">The change as the person makes it.</param>
    /// <param name="completed">The values of a new record with those that defaults give.</param>
    public static ImmutableArray<FieldProblem> Problems(Dataset dataset, Change change, FieldValues? completed = null)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return change switch
        {
            Change.Insert insert => [.. ValueProblems(dataset, insert.Values), .. MissingProblems(dataset, completed ?? insert.Values)],
            Change.Update update => [.. ValueProblems(dataset, update.Values)],
            _ => [],
        };
    }

    /// <summary>What is wrong with one value; null where it fits.</summary>
    public static string? Problem(Field field, object? value)
    {
        ArgumentNullException.ThrowIfNull(field);
        return (field.Type, value) switch
        {
            (_, null) => field.Required ? "This cannot be left blank." : null,
            (FieldType.Text { MaxLength: { } limit }, string text) when Length(text) > limit =>
                $"This is {Whole(Length(text))} characters long; {Whole(limit)} fit.",
            (FieldType.Integer integer, long number) when number < integer.Minimum || number > integer.Maximum =>
                $"This must lie between {Whole(integer.Minimum)} and {Whole(integer.Maximum)}.",
            (FieldType.Number number, decimal value1) => NumberProblem(number, value1),
            (FieldType.Choice choice, string option) when !choice.Options.Contains(option) => $"“{option}” is not one of the choices.",
            _ => null,
        };
    }

    private static IEnumerable<FieldProblem> ValueProblems(Dataset dataset, FieldValues values)
    {
        foreach (var (name, value) in values)
        {
            if (dataset.Find(name) is not { } field)
            {
                yield return new FieldProblem(null, $"There is no field “{name}”.");
            }
            else if (field.ReadOnlyBecause is { } reason)
            {
                yield return new FieldProblem(name, $"“{field.Label}” cannot be changed. {reason}");
            }
            else if (Problem(field, value) is { } problem)
            {
                yield return new FieldProblem(name, problem);
            }
        }
    }

    private static IEnumerable<FieldProblem> MissingProblems(Dataset dataset, FieldValues values) =>
        from field in dataset.Fields
        where field.Required && !field.HasDefault && field.IsWritten && !values.Has(field.Name)
        select new FieldProblem(field.Name, "This cannot be left blank.");

    private static string? NumberProblem(FieldType.Number type, decimal value)
    {
        if (type.Scale is { } scale && decimal.Round(value, Math.Clamp(scale, 0, 28)) != value)
        {
            return scale == 0 ? "This must be a whole number." : $"This has room for {scale} decimal places.";
        }

        if (type is { Precision: { } precision } && precision - (type.Scale ?? 0) is > 0 and <= 28 and var digits && decimal.Truncate(Math.Abs(value)) >= Power(digits))
        {
            return $"This has room for {digits} digits before the point.";
        }

        return null;
    }

    private static decimal Power(int digits)
    {
        var power = 1m;
        for (var i = 0; i < digits; i++)
        {
            power *= 10;
        }

        return power;
    }

    private static int Length(string text) => text.EnumerateRunes().Count();

    private static string Whole(long number) => number.ToString("#,##0", CultureInfo.InvariantCulture);
}
