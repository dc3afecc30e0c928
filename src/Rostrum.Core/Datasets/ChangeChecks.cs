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
        return value is not null ? field.Type.Problem(value, CultureInfo.InvariantCulture) ?? field.Format?.Misfit(value)
            : field.Required ? "This cannot be left blank."
            : null;
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
}
