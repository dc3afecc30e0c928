using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Says in words by what people have narrowed a list.</summary>
internal sealed class TableSentence(PageRun run, Dataset dataset)
{
    /// <summary>Says the conditions of a list, in the order of its fields' names.</summary>
    public async Task<ImmutableArray<SentencePart>> SayAsync(ListState state, CancellationToken cancellation)
    {
        var parts = ImmutableArray.CreateBuilder<SentencePart>();
        foreach (var (name, condition) in state.Conditions)
        {
            if (dataset.Find(new FieldName(name)) is { } field)
            {
                parts.Add(new SentencePart(name, dataset.LabelOf(field.Name), await SaysAsync(field, condition, cancellation)));
            }
        }

        return parts.ToImmutable();
    }

    private async Task<string> SaysAsync(Field field, FieldCondition condition, CancellationToken cancellation)
    {
        var says = new List<string>();
        if (!condition.Values.IsEmpty || !condition.Not.IsEmpty)
        {
            var titles = await TitlesAsync(field, condition.Values.AddRange(condition.Not), cancellation);
            var (any, none) = field.Type is FieldType.List ? ("includes ", "does not include ") : ("is ", "is not ");
            foreach (var (values, word) in new[] { (condition.Values, any), (condition.Not, none) })
            {
                if (!values.IsEmpty)
                {
                    says.Add(word + string.Join(" or ", values.Select(value => ValueWord(field, titles, value))));
                }
            }
        }

        if (condition.Contains.Length > 0)
        {
            says.Add($"{(field.Type is FieldType.List ? "includes" : "contains")} “{condition.Contains}”");
        }

        var temporal = field.Type.IsTemporal;
        if (condition.From.Length > 0)
        {
            says.Add((temporal ? "from " : "at least ") + BoundWord(field, condition.From));
        }

        if (condition.To.Length > 0)
        {
            says.Add((temporal ? "until " : "at most ") + BoundWord(field, condition.To));
        }

        return string.Join(", ", says);
    }

    private string BoundWord(Field field, string text)
    {
        var type = field.Type is FieldType.Moment ? new FieldType.Date() : field.Type;
        return FieldText.FromForm(type, text, run.Format) is Parsed.Value value
            ? run.Format.Display(type == field.Type ? field : field with { Type = type, Format = null }, value.Is)
            : text;
    }

    private string ValueWord(Field field, IReadOnlyDictionary<RecordKey, string> titles, string value) =>
        value == FieldCondition.Blank ? "blank"
        : field.Type is FieldType.List ? field.LabelOf(value)
        : FieldText.FromCanonical(field.Type, value) is not Parsed.Value { Is: { } parsed } ? value
        : titles.GetValueOrDefault(new RecordKey([parsed])) ?? run.Format.Display(field, parsed);

    // The titles of the related records that a condition names, in one read.
    private async Task<IReadOnlyDictionary<RecordKey, string>> TitlesAsync(
        Field field,
        ImmutableArray<string> values,
        CancellationToken cancellation
    )
    {
        if (
            dataset.RelationOf(field.Name) is not { } relation
            || run.App.Datasets.Find(relation.Target) is not { Key: [var key] } target
            || key != relation.TargetField
        )
        {
            return ImmutableDictionary<RecordKey, string>.Empty;
        }

        var keys = values
            .Select(value => (FieldText.FromCanonical(field.Type, value) as Parsed.Value)?.Is)
            .OfType<object>()
            .Select(value => new RecordKey([value]))
            .ToArray();
        return await run.Gate.ReadAsync(run.App.Datasets, ReadRequest.Of(target, keys), run.Grants, cancellation) is ReadResult.Rows rows
            ? rows.Records.Where(record => record.Key is not null).ToDictionary(record => record.Key!, record => record.Title)
            : ImmutableDictionary<RecordKey, string>.Empty;
    }
}
