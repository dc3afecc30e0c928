using System.Collections.Immutable;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Bulk;

/// <summary>The new values of many records: the same for all, or what a formula gives for each.</summary>
/// <param name="Same">Those that are the same for all.</param>
/// <param name="Formulas">Formulas over the record, by the field that takes their value.</param>
internal sealed record BulkValues(FieldValues Same, ImmutableDictionary<FieldName, string> Formulas)
{
    public static BulkValues None { get; } = new(FieldValues.None, ImmutableDictionary<FieldName, string>.Empty);

    public IEnumerable<FieldName> Fields => Same.Fields.Concat(Formulas.Keys);

    /// <summary>What a read of the records must compute.</summary>
    public ImmutableArray<ComputedColumn> Computed => [.. Formulas.Select(pair => new ComputedColumn(ColumnOf(pair.Key), pair.Value))];

    /// <summary>Why a formula gives nothing that a field can hold; null where it may.</summary>
    public static string? Problem(DatasetCatalogue catalogue, Dataset dataset, Grants grants, Field field, string formula)
    {
        var known = SignedIn.Names(grants.User).Check(DatasetShapes.Of(catalogue, grants).Of(dataset).Shape, formula);
        return known.Tree is { } tree ? FieldDefault.Misfit(field, tree.Type) : known.Problems[0].Message;
    }

    /// <summary>The new values of one record, which was read with what is computed of it; or why it can have none.</summary>
    public (FieldValues Values, string? Problem) Of(Dataset dataset, Record record, TimeZoneInfo zone)
    {
        var values = Same;
        foreach (var field in Formulas.Keys)
        {
            var value = record[ColumnOf(field)];
            if (value is null)
            {
                values = values.With(field, null);
            }
            else if (
                value is not Unreadable
                && FieldDefault.FieldValue(dataset[field].Type, new FormulaType.Blank(), DatasetShapes.Carried(value)!, zone)
                    is Parsed.Value { Is: var fitting }
            )
            {
                values = values.With(field, fitting);
            }
            else
            {
                return (FieldValues.None, $"“{dataset[field].Label}” cannot hold what the formula gives.");
            }
        }

        return (values, null);
    }

    /// <summary>As it is kept.</summary>
    public string Write(Dataset dataset) =>
        JsonSerializer.Serialize(
            Same.Select(pair =>
                    (pair.Key, Text: pair.Value is null ? null : Kept(FieldText.ToCanonical(dataset[pair.Key].Type, pair.Value)))
                )
                .Concat(Formulas.Select(pair => (pair.Key, Text: (string?)("=" + pair.Value))))
                .ToDictionary(pair => pair.Key.Value, pair => pair.Text)
        );

    // A text that looks like a formula and is none.
    private static string Kept(string text) => text.StartsWith('=') ? "'" + text : text;

    /// <summary>What was kept; null where a field is no longer there.</summary>
    public static BulkValues? Read(Dataset dataset, string kept)
    {
        var values = None;
        foreach (var (name, text) in JsonSerializer.Deserialize<Dictionary<string, string?>>(kept)!)
        {
            if (dataset.Find(new FieldName(name)) is not { } field)
            {
                return null;
            }

            if (text is ['=', .. var formula])
            {
                values = values with { Formulas = values.Formulas.SetItem(field.Name, formula) };
            }
            else if (text is null)
            {
                values = values with { Same = values.Same.With(field.Name, null) };
            }
            else if (
                FieldText.FromCanonical(field.Type, text.StartsWith("'=", StringComparison.Ordinal) ? text[1..] : text)
                is Parsed.Value value
            )
            {
                values = values with { Same = values.Same.With(field.Name, value.Is) };
            }
            else
            {
                return null;
            }
        }

        return values;
    }

    private static FieldName ColumnOf(FieldName field) => new($"new {field}");
}

/// <summary>A record's values as they are looked at before many are changed.</summary>
internal static class BulkRecords
{
    /// <summary>The fields whose values decide whether a record is still what was looked at: all that can be read of it.</summary>
    public static ImmutableArray<FieldName> Watched(Dataset dataset, Grant grant) =>
        [
            .. dataset
                .Fields.Where(known => known.Formula is null && grant.Readable.Has(known.Name) && known.Type is not FieldType.Binary)
                .Select(known => known.Name),
        ];

    /// <summary>A record's values in short: alike where, and only where, the values are.</summary>
    public static string Digest(Dataset dataset, ImmutableArray<FieldName> watched, Record record)
    {
        var texts = watched.Select(name =>
            record[name] switch
            {
                null => "-",
                Unreadable => "?",
                var value => "=" + FieldText.ToCanonical(dataset[name].Type, value),
            }
        );
        return Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\0', texts))), 0, 12);
    }

    /// <summary>The values with which a change of a record begins.</summary>
    public static FieldValues Original(ImmutableArray<FieldName> watched, Record record) =>
        new(record.Values(watched).Where(pair => pair.Value is not Unreadable));
}
