using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.OneRecord;

/// <summary>One record's fields, or why there are none.</summary>
internal sealed record RecordView(string? Title, Dataset? Dataset, string? Key, Record? Record, ImmutableArray<(string Label, Field Field, string Display, bool Related)> Fields, string? Because);

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
            return Nothing($"Choose a {dataset.RecordLabel} to see it here.");
        }

        run.Scope.Set(new PageValue(panel.Name, "record"), value);
        ImmutableArray<FieldName> titles = [.. panel.Fields.Select(dataset.RelationOf).OfType<Relation>().Select(relation => relation.Name)];
        return await run.Gate.ReadAsync(run.App.Datasets, ReadRequest.Of(dataset, key) with { Fields = panel.Fields, Titles = titles, Now = run.Context.Now }, run.Grants, cancellation) switch
        {
            ReadResult.Rows { Records: [var record] } => new RecordView(record.Title, dataset, record.Key?.ToText(dataset), record, [.. Fields(run, dataset, panel, record)], null),
            ReadResult.Rows => Nothing($"This {dataset.RecordLabel} was deleted, or it is not open to you."),
            ReadResult.Denied denied => Nothing(denied.Reason),
            ReadResult.Failed failed => Nothing(failed.Failure.Message),
            ReadResult.Invalid invalid => Nothing(run.ForPeople(invalid.Problem)),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    private static IEnumerable<(string, Field, string, bool)> Fields(PageRun run, Dataset dataset, RecordPanel panel, Record record) =>
        from name in panel.Fields
        where record.Has(name)
        let field = dataset[name]
        let title = dataset.RelationOf(name) is { } relation ? record.TitleOf(relation.Name) : null
        select (dataset.LabelOf(name), field, title ?? run.Format.Display(field, record[name]), title is not null);

    private static RecordView Nothing(string because) => new(null, null, null, null, [], because);
}
