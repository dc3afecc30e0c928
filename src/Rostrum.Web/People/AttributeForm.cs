using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>An attribute with one person's value, as it is typed.</summary>
/// <param name="Name">Its name in formulas.</param>
/// <param name="Label">What people read.</param>
/// <param name="Type">Its type.</param>
/// <param name="Text">What is typed.</param>
internal sealed record AttributeRow(string Name, string Label, FieldType Type, string Text)
{
    /// <summary>The dataset of whose records it means one; null where it is a value of its own.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Titles of such records.</summary>
    public ImmutableArray<string> Titles { get; init; } = [];
}

/// <summary>The attributes of a person in a form: a record is named by its title.</summary>
internal sealed class AttributeForm(RostrumStore store, PersonRecords records, RecordFormat format)
{
    /// <summary>The attributes with the person's values.</summary>
    /// <param name="person">The person.</param>
    /// <param name="ownOnly">Only those that people say of themselves.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableArray<AttributeRow>> RowsAsync(Person person, bool ownOnly, CancellationToken cancellation)
    {
        var rows = ImmutableArray.CreateBuilder<AttributeRow>();
        foreach (
            var attribute in await store
                .Attributes.AsNoTracking()
                .Where(attribute => !ownOnly || attribute.SetBySelf)
                .OrderBy(attribute => attribute.Label)
                .ToListAsync(cancellation)
        )
        {
            var kept = person.Attributes.GetValueOrDefault(attribute.Name);
            var of = attribute.DatasetId is { } id ? new DatasetId(id) : (DatasetId?)null;
            rows.Add(
                new AttributeRow(
                    attribute.Name,
                    attribute.Label,
                    attribute.Type,
                    kept is null ? ""
                        : of is { } dataset ? await records.TitleAsync(dataset, kept, cancellation)
                        : Typed(attribute.Type, kept)
                )
                {
                    Dataset = of,
                    Titles = of is { } offered ? await records.TitlesAsync(offered, cancellation) : [],
                }
            );
        }

        return rows.ToImmutable();
    }

    /// <summary>What was typed.</summary>
    /// <returns>The rows as typed, their values as they are kept, and what is wrong with the first that does not fit.</returns>
    public Task<(ImmutableArray<AttributeRow> Rows, ImmutableDictionary<string, string> Kept, string? Problem)> ReadAsync(
        ImmutableArray<AttributeRow> rows,
        IFormCollection form,
        CancellationToken cancellation
    ) => ReadAsync(rows, name => form[$"attribute.{name}"].ToString().Trim(), cancellation);

    /// <summary>The same of texts that come from elsewhere.</summary>
    public async Task<(ImmutableArray<AttributeRow> Rows, ImmutableDictionary<string, string> Kept, string? Problem)> ReadAsync(
        ImmutableArray<AttributeRow> rows,
        Func<string, string> textOf,
        CancellationToken cancellation
    )
    {
        ImmutableArray<AttributeRow> typed = [.. rows.Select(row => row with { Text = textOf(row.Name) })];
        var kept = ImmutableDictionary.CreateBuilder<string, string>(StringComparer.Ordinal);
        string? problem = null;
        foreach (var row in typed.Where(row => row.Text.Length > 0))
        {
            var (value, wrong) = row.Dataset is { } dataset ? await records.KeyAsync(dataset, row.Text, cancellation) : Parsed(row);
            problem ??= wrong is null ? null : $"{row.Label}: {wrong}";
            if (value is not null)
            {
                kept[row.Name] = value;
            }
        }

        return (typed, kept.ToImmutable(), problem);
    }

    private (string? Kept, string? Problem) Parsed(AttributeRow row) =>
        FieldText.FromForm(row.Type, row.Text, format) switch
        {
            Core.Datasets.Parsed.Value { Is: { } value } => (FieldText.ToCanonical(row.Type, value), null),
            Core.Datasets.Parsed.Problem problem => (null, problem.Message),
            _ => (null, null),
        };

    private string Typed(FieldType type, string canonical) =>
        FieldText.FromCanonical(type, canonical) is Core.Datasets.Parsed.Value { Is: { } value }
            ? FieldText.InForm(type, value, format)
            : "";
}
