using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>A value that can be chosen, and how many records have it under the other conditions.</summary>
internal sealed record FilterChoice(string Value, string Label, string Count, bool IsChosen);

/// <summary>What one part of the filter sentence offers.</summary>
internal sealed record FilterEditorView
{
    private const int MostChoices = 60;

    public required Field Field { get; init; }

    public required string Label { get; init; }

    public required PageRun Run { get; init; }

    public required string Panel { get; init; }

    public required ListState State { get; init; }

    public required FieldCondition Condition { get; init; }

    public required ImmutableArray<FilterChoice> Choices { get; init; }

    public string? Failure { get; init; }

    public bool HasRange => Field.Type.IsNumeric || Field.Type.IsTemporal;

    public bool HasText { get; init; }

    /// <summary>What is chosen are those that are left out.</summary>
    public bool IsNot => !Condition.Not.IsEmpty;

    /// <summary>Spans that people ask for, in the words in which they can be typed as well.</summary>
    public static ImmutableArray<(string Label, string From, string To)> Spans { get; } =
    [
        ("Today", "today", "today"), ("Last 7 days", "-6", "today"), ("Last 30 days", "-29", "today"), ("Next 7 days", "today", "+6"),
        ("Before today", "", "yesterday"), ("From today on", "today", ""),
    ];

    /// <summary>The list with such a span.</summary>
    public string SpanAddress(string from, string to) =>
        Run.Path + Run.State.With(Panel, State.Closed().With(Field.Name.Value, FieldCondition.None with { From = from, To = to })).ToQuery();

    /// <summary>The address without this part.</summary>
    public string RemoveAddress => Run.Path + Run.State.With(Panel, State.Closed().With(Field.Name.Value, FieldCondition.None)).ToQuery();

    public static async Task<FilterEditorView?> ReadAsync(PageRun run, TablePanel panel, FieldName name, CancellationToken cancellation)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } known
            || panel.Shown(known) is not { } dataset
            || dataset.Find(name) is not { Type.IsSortable: true } field
            || !run.Grants.For(dataset.Id).Readable.Has(name))
        {
            return null;
        }

        var state = run.State.List(panel.Name);
        var relation = dataset.RelationOf(name);
        var condition = state.Conditions.GetValueOrDefault(name.Value, FieldCondition.None);
        var view = new FilterEditorView
        {
            Field = field,
            Label = dataset.LabelOf(name),
            Run = run,
            Panel = panel.Name,
            State = state,
            Condition = condition,
            Choices = [],
            HasText = field.Type is FieldType.Text && relation is null,
        };
        if (view.HasRange || field.Type.IsLong)
        {
            return view;
        }

        var (others, _) = Conditions.Read(dataset, state.With(name.Value, FieldCondition.None), run.Format);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        if (narrowed is null)
        {
            return view with { Failure = because };
        }

        return await run.Gate.GroupAsync(
            run.App.Datasets,
            new GroupRequest(dataset.Id, name, Filter.Both(narrowed, others), state.Search, MostChoices) { Names = run.Names },
            run.Grants,
            cancellation) switch
        {
            GroupResult.Groups groups =>
                view with { Choices = [.. groups.Values.Select(value => Choice(run.Format, field, condition, value))] },
            GroupResult.Denied denied => view with { Failure = denied.Reason },
            GroupResult.Failed failed => view with { Failure = run.Words(failed.Failure) },
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    private static FilterChoice Choice(RecordFormat format, Field field, FieldCondition condition, ValueCount value)
    {
        var text = value.Value is null or Unreadable ? FieldCondition.Blank : FieldText.ToCanonical(field.Type, value.Value);
        return new FilterChoice(
            text,
            value.Title ?? (value.Value is null ? "blank" : format.Display(field, value.Value)),
            value.Count.ToString("#,##0", format.Culture),
            (condition.Not.IsEmpty ? condition.Values : condition.Not).Contains(text));
    }
}
