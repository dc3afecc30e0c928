using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.OneRecord;

/// <summary>One record's fields, or why there are none.</summary>
internal sealed record RecordView : ICanBeAway
{
    public string? Title { get; init; }

    public string? Key { get; init; }

    public ImmutableArray<ShownField> Fields { get; init; } = [];

    /// <summary>The field with the picture at its head, where the record has one.</summary>
    public FieldName? Picture { get; init; }

    public string Subtitle { get; init; } = "";

    public ImmutableArray<ActionOffer> Offers { get; init; } = [];

    /// <summary>Why there is no record.</summary>
    public string? Because { get; init; }

    public bool IsAway { get; init; }
}

internal sealed class RecordPanelReader() : PanelReader<RecordPanel>("OneRecord")
{
    protected override async Task<object?> ReadAsync(PageRun run, RecordPanel panel, CancellationToken cancellation)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } known)
        {
            return Nothing("These records are no longer there.");
        }

        var dataset = LabelOverride.Apply(panel.Labels, known);
        var value = panel.Record is null ? null : run.Evaluate(panel, new FormulaPlace(panel.Record)) as FormulaRecord;
        if (value?.Identity is not RecordKey key)
        {
            return Nothing($"Choose a {dataset.RecordLabel} to see it here.") with { IsAway = panel.HideWhenEmpty };
        }

        var offers = new ActionOffers(run, panel, ActionPlace.Record);
        var formulas = new RecordFormulas(run, panel, "head");
        var subtitle = formulas.Setting(panel.Subtitle);
        ImmutableArray<FieldName> fields =
            panel.Picture is { } picture && dataset.Find(picture) is not null ? [.. panel.Fields.Append(picture).Distinct()] : panel.Fields;

        run.Values[new PageValue(panel.Name, "record")] = value;
        var read = await run.Gate.ReadAsync(
            run.App.Datasets,
            ReadRequest.Of(dataset, key) with
            {
                Fields = fields,
                Titles = dataset.RelationsAt(panel.Fields),
                Computed = [.. offers.Columns, .. formulas.Columns],
                Names = run.Names,
                Now = run.Context.Now,
            },
            run.Grants,
            cancellation
        );
        await offers.DecideAsync((read as ReadResult.Rows)?.Records ?? [], cancellation);
        return read switch
        {
            ReadResult.Rows { Records: [var record] } => new RecordView
            {
                Title = record.Title,
                Key = record.Key?.ToText(dataset),
                Fields = ShownField.Of(run.Format, dataset, panel.Fields, record),
                Picture = panel.Picture is { } shown && record.Has(shown) && record[shown] is not null ? shown : null,
                Subtitle = subtitle.Shown(record),
                Offers = [.. offers.Of(record, record.Key?.ToText(dataset))],
            },
            ReadResult.Rows => Nothing($"This {dataset.RecordLabel} was deleted, or it is not open to you."),
            var result => Nothing(run.Because(result)!),
        };
    }

    private static RecordView Nothing(string because) => new() { Because = because };
}
