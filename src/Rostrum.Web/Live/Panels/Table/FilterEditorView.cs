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
    private const int LeastToFind = 12;

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

    /// <summary>Values are typed of which it is to have one.</summary>
    public bool HasElements => Field.Type is FieldType.List { Element: not FieldType.Choice };

    /// <summary>How what is chosen is asked for, and left out.</summary>
    public (string Is, string IsNot) Modes => Field.Type is FieldType.List ? ("includes", "does not include") : ("is", "is not");

    /// <summary>What is chosen are those that are left out.</summary>
    public bool IsNot => !Condition.Not.IsEmpty;

    /// <summary>Spans that people ask for, in the words in which they can be typed as well.</summary>
    public static ImmutableArray<(string Label, string From, string To)> Spans { get; } =
    [
        ("Today", "today", "today"),
        ("Last 7 days", "-6", "today"),
        ("Last 30 days", "-29", "today"),
        ("Next 7 days", "today", "+6"),
        ("Before today", "", "yesterday"),
        ("From today on", "today", ""),
    ];

    /// <summary>The list with such a span.</summary>
    public string SpanAddress(string from, string to) =>
        Run.Path
        + Run.State.With(Panel, State.Closed().With(Field.Name.Value, FieldCondition.None with { From = from, To = to })).ToQuery();

    /// <summary>The address without this part.</summary>
    public string RemoveAddress => Run.Path + Run.State.With(Panel, State.Closed().With(Field.Name.Value, FieldCondition.None)).ToQuery();

    /// <summary>There may be more values than are listed, so that one can look for them.</summary>
    public bool CanFind =>
        (Found is not null || Choices.Length >= LeastToFind) && (IsRelation || Field.Type is FieldType.Text or FieldType.Choice);

    public required bool IsRelation { get; init; }

    /// <summary>What was looked for among the values; null where nothing was.</summary>
    public string? Found { get; init; }

    /// <summary>Where other values are looked for.</summary>
    public string FindAddress =>
        Run
            .State.With(Panel, State.Closed().With(Field.Name.Value, FieldCondition.None))
            .At(Run.Path, ("handler", "Filter"), ("panel", Panel), ("field", Field.Name.Value));

    /// <param name="run">The look at the page.</param>
    /// <param name="panel">The table.</param>
    /// <param name="name">The field.</param>
    /// <param name="find">What is looked for among its values; blank for those that most records have.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<FilterEditorView?> ReadAsync(
        PageRun run,
        TablePanel panel,
        FieldName name,
        string find,
        CancellationToken cancellation
    )
    {
        if (
            run.App.Datasets.Find(panel.Dataset) is not { } known
            || panel.Shown(known) is not { } dataset
            || dataset.Find(name) is not { Type.IsFilterable: true } field
            || !run.Grants.For(dataset.Id).Readable.Has(name)
        )
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
            IsRelation = relation is not null,
            HasText = field.Type is FieldType.Text && relation is null,
            Found = find.Length > 0 ? find : null,
        };
        if (view.HasRange || view.HasElements || field.Type.IsLong)
        {
            return view;
        }

        // A record may count for several of them, so that none is counted.
        if (field.Type is FieldType.List { Element: FieldType.Choice { Options: var options } })
        {
            var picked = condition.Not.IsEmpty ? condition.Values : condition.Not;
            return view with
            {
                Choices =
                [
                    .. options.Select(option => new FilterChoice(option, field.LabelOf(option), "", picked.Contains(option))),
                    new FilterChoice(FieldCondition.Blank, "blank", "", picked.Contains(FieldCondition.Blank)),
                ],
            };
        }

        var (others, _) = Conditions.Read(dataset, state.With(name.Value, FieldCondition.None), run.Format);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        if (narrowed is null)
        {
            return view with { Failure = because };
        }

        Task<GroupResult> GroupAsync(Filter filter) =>
            run.Gate.GroupAsync(
                run.App.Datasets,
                new GroupRequest(dataset.Id, name, Filter.Both(Filter.Both(narrowed, others), filter), state.Search, MostChoices)
                {
                    Names = run.Names,
                },
                run.Grants,
                cancellation
            );
        var result = await GroupAsync(await FittingAsync(run, dataset, field, find, cancellation));
        if (result is not GroupResult.Groups groups)
        {
            return view with { Failure = Words(run, result) };
        }

        var choices = groups.Values.Select(value => Choice(run.Format, field, condition, value)).ToList();

        // What is chosen stays in sight, and is sent again, whichever values are listed.
        ImmutableArray<object?> unlisted =
        [
            .. condition
                .Values.AddRange(condition.Not)
                .Where(value => choices.All(choice => choice.Value != value))
                .Select(value => (FieldText.FromCanonical(field.Type, value) as Parsed.Value)?.Is)
                .OfType<object>(),
        ];
        if (!unlisted.IsEmpty && await GroupAsync(new Filter.OneOf(name, unlisted)) is GroupResult.Groups chosen)
        {
            choices.InsertRange(0, chosen.Values.Select(value => Choice(run.Format, field, condition, value)));
        }

        return view with
        {
            Choices = [.. choices],
        };
    }

    // The values that fit what is looked for: of a relation, those whose record's title does.
    private static async Task<Filter> FittingAsync(
        PageRun run,
        Dataset dataset,
        Field field,
        string find,
        CancellationToken cancellation
    ) =>
        find.Length == 0 ? new Filter.Everything()
        : dataset.RelationOf(field.Name) is not { } relation
            ? field.Type is FieldType.Choice choice
                    ? new Filter.OneOf(field.Name, [.. choice.Options.Where(option => Fits(field.LabelOf(option), find))])
                : new Filter.Contains(field.Name, find)
        : run.App.Datasets.Find(relation.Target) is { } target
        && await RecordChoices.FittingAsync(run, target, relation.TargetField, find, cancellation) is { IsEmpty: false } values
            ? new Filter.OneOf(field.Name, [.. values])
        : new Filter.Nothing();

    private static bool Fits(string label, string find) => label.Contains(find, StringComparison.CurrentCultureIgnoreCase);

    private static string Words(PageRun run, GroupResult result) =>
        result switch
        {
            GroupResult.Denied denied => denied.Reason,
            GroupResult.Failed failed => run.Words(failed.Failure),
            GroupResult.Invalid invalid => invalid.Problem,
            _ => throw new InvalidOperationException("unknown result"),
        };

    private static FilterChoice Choice(RecordFormat format, Field field, FieldCondition condition, ValueCount value)
    {
        var text = value.Value is null or Unreadable ? FieldCondition.Blank : FieldText.ToCanonical(field.Type, value.Value);
        return new FilterChoice(
            text,
            value.Title ?? (value.Value is null ? "blank" : format.Display(field, value.Value)),
            value.Count.ToString("#,##0", format.Culture),
            (condition.Not.IsEmpty ? condition.Values : condition.Not).Contains(text)
        );
    }
}
