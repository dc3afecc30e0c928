using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Turns the conditions in an address into a filter. What does not fit its field is left out and named.</summary>
internal static class Conditions
{
    public static (Filter Filter, ImmutableArray<string> Ignored) Read(Dataset dataset, ListState state, RecordFormat format)
    {
        var parts = ImmutableArray.CreateBuilder<Filter>();
        var ignored = ImmutableArray.CreateBuilder<string>();
        foreach (var (name, condition) in state.Conditions)
        {
            if (dataset.Find(new FieldName(name)) is { } field && Filters(field, condition, format) is { } filters)
            {
                parts.AddRange(filters);
            }
            else
            {
                ignored.Add(name);
            }
        }

        return (parts.Count == 0 ? new Filter.Everything() : new Filter.And(parts.ToImmutable()), ignored.ToImmutable());
    }

    private static List<Filter>? Filters(Field field, FieldCondition condition, RecordFormat format)
    {
        var filters = new List<Filter>();
        foreach (var (texts, not) in new[] { (condition.Values, false), (condition.Not, true) })
        {
            if (texts.IsEmpty)
            {
                continue;
            }

            if (field.Type is FieldType.List list)
            {
                if (Includes(field.Name, list, texts) is not { } includes)
                {
                    return null;
                }

                filters.Add(not ? new Filter.Not(includes) : includes);
                continue;
            }

            var values = texts
                .Select(text => text == FieldCondition.Blank ? new Parsed.Value(null) : FieldText.FromCanonical(field.Type, text))
                .ToArray();
            if (values.Any(value => value is Parsed.Problem))
            {
                return null;
            }

            Filter one = new Filter.OneOf(field.Name, [.. values.Select(value => ((Parsed.Value)value).Is)]);
            filters.Add(not ? new Filter.Not(one) : one);
        }

        if (condition.Contains.Length > 0)
        {
            if (field.Type is FieldType.List of)
            {
                if (IncludesTyped(field.Name, of, condition.Contains, format) is not { } includes)
                {
                    return null;
                }

                filters.Add(includes);
            }
            else if (!field.Type.IsTextual)
            {
                return null;
            }
            else
            {
                filters.Add(new Filter.Contains(field.Name, condition.Contains));
            }
        }

        return AddBound(filters, field, condition.From, format, upper: false) && AddBound(filters, field, condition.To, format, upper: true)
            ? filters
            : null;
    }

    // Of several choices, any of some; null where one of them is no option.
    private static Filter.Holds? Includes(FieldName field, FieldType.List list, ImmutableArray<string> texts)
    {
        if (!texts.All(text => text == FieldCondition.Blank || (list.Element is FieldType.Choice choice && choice.Options.Contains(text))))
        {
            return null;
        }

        return AnyOf(texts.Select(text => text == FieldCondition.Blank ? $"ISEMPTY({Formatter.Name(field.Value)})" : Has(field, text)));
    }

    // Of other lists, any of the values that were typed, with commas between them; null where one is none of its type.
    private static Filter.Holds? IncludesTyped(FieldName field, FieldType.List list, string typed, RecordFormat format)
    {
        if (FieldText.FromForm(list, typed, format) is not Parsed.Value { Is: ListValue values } || values.Items.Contains(null))
        {
            return null;
        }

        return AnyOf(list.ValuesOf(values).OfType<object>().Select(value => Has(field, value)));
    }

    private static Filter.Holds AnyOf(IEnumerable<string> conditions) => new($"OR({string.Join(", ", conditions)})");

    private static string Has(FieldName field, object value) => $"CONTAINS({Formatter.Name(field.Value)}, {Literal(value)})";

    private static string Literal(object value) =>
        value switch
        {
            string text => Formatter.Format(new Syntax.Text(default, text)),
            _ => ((IFormattable)value).ToString(null, CultureInfo.InvariantCulture),
        };

    // A bound on a date and time is a day, and the last day belongs to the range.
    private static bool AddBound(List<Filter> filters, Field field, string text, RecordFormat format, bool upper)
    {
        if (text.Length == 0)
        {
            return true;
        }

        if (field.Type is FieldType.Moment)
        {
            if (
                FieldText.FromForm(new FieldType.Date(), text, format) is not Parsed.Value { Is: DateOnly day }
                || (upper && day == DateOnly.MaxValue)
            )
            {
                return false;
            }

            var midnight = (upper ? day.AddDays(1) : day).ToDateTime(TimeOnly.MinValue);
            object bound =
                field.Type is FieldType.LocalDateTime
                    ? (object)midnight
                    : new DateTimeOffset(TimeZoneInfo.ConvertTimeToUtc(midnight, format.Zone), TimeSpan.Zero);
            filters.Add(new Filter.Compare(field.Name, upper ? Comparison.Less : Comparison.AtLeast, bound));
            return true;
        }

        if (
            !(field.Type.IsNumeric || field.Type.IsTemporal)
            || FieldText.FromForm(field.Type, text, format) is not Parsed.Value { Is: { } value }
        )
        {
            return false;
        }

        filters.Add(new Filter.Compare(field.Name, upper ? Comparison.AtMost : Comparison.AtLeast, value));
        return true;
    }
}
