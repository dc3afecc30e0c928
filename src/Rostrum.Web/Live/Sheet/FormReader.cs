using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.Live.Panels.Text;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Reads the form of a record: that of a table, at the right, or one that stands on the page.</summary>
internal sealed class FormReader(PageRun run)
{
    /// <summary>
    /// Everything that was typed is taken: what a record's own state forbids, the save says then, and the typed text is kept.
    /// </summary>
    public bool ForSaving { get; init; }

    /// <summary>The form; or why there is none.</summary>
    public Task<RecordFormView> ReadAsync(Panel panel, CancellationToken cancellation) =>
        panel switch
        {
            ListPanel table => OfTableAsync(table, cancellation),
            FormPanel form => OnPageAsync(form, cancellation),
            _ => throw new ArgumentOutOfRangeException(nameof(panel), panel, "no form belongs to it"),
        };

    /// <summary>The form of a record that is no longer there, so that what was typed into it is not lost.</summary>
    public RecordFormView.Open? WhatWasThere(ListPanel table)
    {
        var list = run.State.List(table.Name);
        var dataset = Dataset(table);
        return list is { IsNew: false, Selected: { } key } && dataset is not null && RecordKey.Parse(dataset, key) is not null
            ? Opened(table, dataset, null, table.SheetFields, null) with
            {
                IsNew = false,
                KeyText = key,
                Title = $"Deleted {dataset.RecordLabel}",
            }
            : null;
    }

    /// <summary>Says to the page's formulas what stands in a form.</summary>
    public void Publish(Panel panel, RecordFormView.Open open)
    {
        if (panel is not FormPanel)
        {
            return;
        }

        foreach (var member in run.Scope.MembersOf(panel.Name))
        {
            var field = open.Form.Fields.FirstOrDefault(field => field.Field.Name.Value == member.Name);
            run.Values[new PageValue(panel.Name, member.Name)] =
                field is null ? null
                : field.ReadOnlyBecause is null ? run.Value(member.Type, field.Text)
                : field.Value is long number ? (decimal)number
                : field.Value;
        }
    }

    private Dataset? Dataset(Panel panel) =>
        run.App.Datasets.Find(panel.Of!.Value) is { } dataset
            ? LabelOverride.Apply(
                panel switch
                {
                    ListPanel list => list.Labels,
                    FormPanel form => form.Labels,
                    _ => [],
                },
                dataset
            )
            : null;

    private async Task<RecordFormView> OfTableAsync(ListPanel table, CancellationToken cancellation)
    {
        var list = run.State.List(table.Name);
        var close = run.Path + run.State.With(table.Name, list.Closed()).ToQuery();
        if (Dataset(table) is not { } dataset)
        {
            return new RecordFormView.Missing("Not there", "These records are no longer there.", close);
        }

        if (list.IsNew)
        {
            if (Refusal(dataset) is { } reason)
            {
                return new RecordFormView.Missing("No new record", reason, close);
            }

            // What is added to the records of one belongs to that one.
            var (_, because, parent) = run.Narrowed(table, table.RelatedTo, null);
            return because is not null
                ? new RecordFormView.Missing("No new record", because, close)
                : await WithTitlesAsync(Opened(table, dataset, null, table.SheetFields, Given(dataset, list, parent)), cancellation);
        }

        return list.Selected is not { } text || table.OnChoice is not RowChoice.Sheet ? new RecordFormView.Closed()
            : RecordKey.Parse(dataset, text) is not { } key
                ? new RecordFormView.Missing("No such record", $"The address names no {dataset.RecordLabel}.", close)
            : await OfRecordAsync(table, dataset, key, table.SheetFields, close, cancellation);
    }

    // Where it is added says something of it; a person could type the same.
    private static Dictionary<FieldName, object?> Given(Dataset dataset, ListState list, (FieldName Field, object Value)? parent)
    {
        var given = new Dictionary<FieldName, object?>();
        foreach (var (name, text) in list.NewWith)
        {
            if (
                dataset.Find(new FieldName(name)) is { IsWritten: true } field
                && FieldText.FromCanonical(field.Type, text) is Parsed.Value { Is: { } value }
            )
            {
                given[field.Name] = value;
            }
        }

        if (parent is { } of)
        {
            given[of.Field] = of.Value;
        }

        return given;
    }

    private async Task<RecordFormView> OnPageAsync(FormPanel form, CancellationToken cancellation)
    {
        if (Dataset(form) is not { } dataset)
        {
            return new RecordFormView.Missing("Not there", "These records are no longer there.", "");
        }

        RecordFormView view;
        if (form.Record is not null)
        {
            view =
                run.Record(form, form.Record) is { } record && record.Dataset.Id == dataset.Id
                    ? await OfRecordAsync(form, dataset, record.Key, form.Fields, "", cancellation)
                    : new RecordFormView.Missing("", $"Choose a {dataset.RecordLabel} to change it here.", "");
        }
        else if (Refusal(dataset) is { } reason)
        {
            view = new RecordFormView.Missing("", reason, "");
        }
        else
        {
            var given = form
                .Defaults.Select(pair =>
                    (Name: new FieldName(pair.Key), Value: run.FieldValue(dataset, new FieldName(pair.Key), pair.Value, form))
                )
                .Where(pair => pair.Value is Parsed.Value { Is: not null })
                .ToDictionary(pair => pair.Name, pair => ((Parsed.Value)pair.Value).Is);
            view = await WithTitlesAsync(Opened(form, dataset, null, form.Fields, given), cancellation);
        }

        if (view is RecordFormView.Open open)
        {
            Publish(form, open);
        }

        return view;
    }

    private string? Refusal(Dataset dataset) =>
        dataset.ReadOnlyBecause ?? (run.Grants.For(dataset.Id).Allows(Verbs.Create) ? null : $"You may not add {dataset.LabelInSentence}.");

    private async Task<RecordFormView> OfRecordAsync(
        Panel panel,
        Dataset dataset,
        RecordKey key,
        ImmutableArray<FieldName> fields,
        string close,
        CancellationToken cancellation
    )
    {
        return await run.Gate.ReadAsync(
            run.App.Datasets,
            ReadRequest.Of(dataset, key) with
            {
                Fields = fields,
                Titles = dataset.RelationsAt(fields),
                Now = run.Context.Now,
            },
            run.Grants,
            cancellation
        ) switch
        {
            ReadResult.Rows { Records: [var record] } => await OpenedWithinRightsAsync(panel, dataset, record, fields, cancellation),
            ReadResult.Rows => new RecordFormView.Missing(
                "No such record",
                $"This {dataset.RecordLabel} was deleted, or it is not open to you.",
                close
            ),
            ReadResult.Denied denied => new RecordFormView.Missing("Not open to you", denied.Reason, close),
            ReadResult.Failed failed => new RecordFormView.Missing(
                "The record cannot be read",
                run.Words(failed.Failure),
                close,
                IsOutage: true
            ),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    // The records to which a new one refers by its defaults have names.
    private async Task<RecordFormView> WithTitlesAsync(RecordFormView.Open open, CancellationToken cancellation)
    {
        var fields = open.Form.Fields;
        foreach (var field in fields.Where(field => field is { Relation: not null, Usual.Length: > 0 }))
        {
            if (
                run.App.Datasets.Find(field.Relation!.Target) is { Key: [var key] } target
                && key == field.Relation.TargetField
                && FieldText.FromForm(target[key].Type, field.Usual, run.Format) is Parsed.Value { Is: { } value }
                && await run.OneAsync(ReadRequest.Of(target, new RecordKey([value])), cancellation) is { } record
            )
            {
                fields = fields.Replace(field, field with { RelatedTitle = record.Title });
            }
        }

        return open with
        {
            Form = new RecordForm(fields),
        };
    }

    // A record that is not open to be changed, by a condition, opens to be read, with the reason.
    private async Task<RecordFormView> OpenedWithinRightsAsync(
        Panel panel,
        Dataset dataset,
        Record record,
        ImmutableArray<FieldName> fields,
        CancellationToken cancellation
    )
    {
        var grant = record.Key is { } known
            ? (await run.Gate.GrantsOfAsync(run.App.Datasets, dataset, [known], run.Grants, cancellation))(known)
            : run.Grants.For(dataset.Id);
        if (ForSaving)
        {
            return Opened(panel, dataset, record, fields, null, grant);
        }

        var forbidden = Verbs.None;
        // Verbs with the same condition are asked for once.
        var verbs = new[] { Verbs.Update, Verbs.Delete }.Where(verb => grant.Allows(verb) && record.Key is not null);
        foreach (var alike in verbs.GroupBy(grant.For))
        {
            if (!await run.Gate.AllowsAsync(run.App.Datasets, dataset, record.Key!, alike.First(), run.Grants, cancellation))
            {
                forbidden |= alike.Aggregate((one, other) => one | other);
            }
        }

        return forbidden is Verbs.None
            ? Opened(panel, dataset, record, fields, null, grant)
            : Opened(panel, dataset, record, fields, null, grant with { Verbs = grant.Verbs & ~forbidden }) with
            {
                Limit = forbidden.HasFlag(Verbs.Update) ? LimitWords.Of(dataset, grant, Verbs.Update, run.Format) : null,
            };
    }

    private RecordFormView.Open Opened(
        Panel panel,
        Dataset dataset,
        Record? record,
        IEnumerable<FieldName> fields,
        IReadOnlyDictionary<FieldName, object?>? given,
        Grant? narrowed = null
    )
    {
        var form = panel as FormPanel;
        var grant = narrowed ?? run.Grants.For(dataset.Id);
        return new RecordFormView.Open
        {
            Dataset = dataset,
            Grant = grant,
            Title = record?.Title ?? $"New {dataset.RecordLabel}",
            IsNew = record is null,
            KeyText = record?.Key?.ToText(dataset),
            Form = RecordForm.Of(
                dataset,
                fields,
                grant,
                record,
                run.Format,
                run.Grants.User,
                form is null ? "field" : $"field-{panel.Name}",
                given
            ),
            WatchAddress =
                run.IsLive && record?.Key is { } watched
                    ? run.State.At(run.Path, ("handler", "Watch"), ("panel", panel.Name), ("record", watched.ToText(dataset)))
                    : null,
            Path = run.Path,
            State = run.State,
            AddressOf = run.AddressOf,
            Panel = panel.Name,
            OnPage = form,
            DisabledBecause = form is not null && !run.Truth(form, form.Enabled) ? "Not available now." : null,
            Button = form is null ? null : run.Text(form, form.Button),
            Help = form is null ? [] : form.Help.ToImmutableDictionary(pair => pair.Key, pair => Markdown.Of(pair.Value)),
        };
    }
}
