using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Bulk;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>
/// Changes or deletes the checked records of a table, or all that it shows on its pages: first it is shown what would come of it, then it
/// is done.
/// </summary>
internal sealed class BulkEditing(PageRun run, TablePanel table, bool deletes, bool all)
{
    /// <summary>With how many of all it is tried before it is done with all of them.</summary>
    private const int MostTried = 500;

    private const string SeenPrefix = "seen.";

    private readonly Dataset _dataset = table.Shown(run.App.Datasets.Find(table.Dataset)!);
    private readonly ImmutableArray<FieldName> _watched = BulkRecords.Watched(
        run.App.Datasets.Find(table.Dataset)!,
        run.Grants.For(table.Dataset)
    );
    private ImmutableDictionary<FieldName, string> _titles = ImmutableDictionary<FieldName, string>.Empty;
    private readonly ImmutableArray<RecordKey> _keys = run.CheckedOf(table, run.App.Datasets.Find(table.Dataset)!);

    /// <summary>The form by which values are given, with nothing in it.</summary>
    public BulkView Begin() =>
        new()
        {
            Run = run,
            Table = table,
            Dataset = _dataset,
            Deletes = deletes,
            All = all,
            Count = _keys.Length,
            Form = new RecordFormView.Open
            {
                Dataset = _dataset,
                Grant = Grant,
                Title = "",
                IsNew = false,
                KeyText = null,
                Path = run.Path,
                State = run.State,
                AddressOf = run.AddressOf,
                Panel = table.Name,
                Form = new RecordForm([
                    .. RecordForm
                        .Of(_dataset, Fields, Grant, null, run.Format, run.Grants.User, "bulk")
                        .Fields.Where(field => field.ReadOnlyBecause is null && field.Field.Type.IsTyped)
                        .Select(field => field with { Text = "", Usual = "" }),
                ]),
            },
        };

    /// <summary>The same form with what was typed.</summary>
    public BulkView Filled(IFormCollection posted)
    {
        var view = Begin();
        var form = view.Form.Form.Filled(posted);
        _titles = form
            .Fields.Where(field => field is { Relation: not null, RelatedTitle: not null })
            .ToImmutableDictionary(field => field.Field.Name, field => field.RelatedTitle!);
        return view with
        {
            Form = view.Form with { Form = form },
            Request = Guid.TryParse(posted["request"], out var request) ? request : view.Request,
            CheckRequest = Guid.TryParse(posted["checkRequest"], out var check) ? check : view.CheckRequest,
            Set = [.. view.Form.Form.Fields.Select(field => field.Field.Name.Value).Where(name => posted.ContainsKey($"set.{name}"))],
            Seen = posted
                .Where(part => part.Key.StartsWith(SeenPrefix, StringComparison.Ordinal))
                .ToImmutableDictionary(part => part.Key[SeenPrefix.Length..], part => part.Value.ToString()),
        };
    }

    /// <summary>What would come of it, or what is wrong with what was typed.</summary>
    public async Task<BulkView> PreviewAsync(BulkView view, CancellationToken cancellation)
    {
        if (_keys.IsEmpty && !all)
        {
            return view with { Problem = $"No {_dataset.LabelInSentence} are checked." };
        }

        if (!deletes && view.Set.IsEmpty)
        {
            return view with { Problem = "Tick a field and enter its new value." };
        }

        var (values, problems) = Values(view);
        if (!problems.IsEmpty)
        {
            return view with { Form = view.Form with { Form = view.Form.Form.WithProblems(problems) } };
        }

        var read = await ReadAsync(values, cancellation);
        if (read is not ReadResult.Rows rows)
        {
            return view with { Problem = run.Because(read) };
        }

        var records = rows.Records.Where(record => record.Key is not null).ToDictionary(record => record.Key!);
        ImmutableArray<RecordKey> keys = all ? [.. rows.Records.Select(record => record.Key).OfType<RecordKey>()] : _keys;
        if (all)
        {
            view = view with { Count = (int)(rows.Count?.Number ?? keys.Length), CountText = rows.Count?.Said(run.Format.Culture) };
        }

        if (keys.IsEmpty)
        {
            return view with { Problem = $"There are no {_dataset.LabelInSentence} that match." };
        }

        // What cannot have its new values is not tried with others.
        ImmutableArray<RecordKey> fitting = [.. keys.Where(key => Unfitting(values, records.GetValueOrDefault(key)) is null)];
        return await run.Gate.SaveEachAsync(
            run.App.Datasets,
            Changes(values, fitting, records),
            ManyChanges.Tried,
            run.Grants,
            cancellation
        ) switch
        {
            ManyResult.Done done => view with
            {
                Preview = Lines(values, keys, records, fitting.Zip(done.Each).ToDictionary(pair => pair.First, pair => pair.Second)),
            },
            ManyResult.Denied denied => view with { Problem = denied.Reason },
            ManyResult.Failed failed => view with { Problem = run.Words(failed.Failure) },
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    /// <summary>Begins it with all that the table shows on its pages; or shows why not.</summary>
    /// <param name="bulk">Begins it.</param>
    /// <param name="view">What is to be done.</param>
    /// <param name="person">Who wants it.</param>
    /// <param name="isTried">It is only found out what would come of it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<(BulkChange? Begun, BulkView View)> BeginAsync(
        BulkChanges bulk,
        BulkView view,
        Guid person,
        bool isTried,
        CancellationToken cancellation
    )
    {
        var (values, problems) = Values(view);
        if (!problems.IsEmpty || (!deletes && view.Set.IsEmpty))
        {
            return (null, await PreviewAsync(view, cancellation));
        }

        if (!isTried && run.Writing.ReadOnlyBecause is { } reason)
        {
            return (null, view with { Problem = reason });
        }

        var app = run.App;
        var wish = new BulkChanges.Wish(
            person,
            $"{app.Definition.Name}, {run.Page.Name}",
            app.Version is null && run.Editing is null ? null : app.Address,
            deletes ? BulkWork.Delete : BulkWork.Change,
            values,
            isTried ? view.CheckRequest : view.Request,
            isTried
        );
        var (begun, problem) = await bulk.BeginAsync(app.Datasets, _dataset, Matching(), wish, run.Grants, cancellation);
        return (begun, view with { Problem = problem });
    }

    /// <summary>Does it.</summary>
    /// <param name="view">What is to be done.</param>
    /// <param name="possible">Also where it cannot be done with some.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What was saved; or null, with the view that says why not.</returns>
    public async Task<(ImmutableArray<SavedChange>? Saved, int Left, BulkView View)> DoAsync(
        BulkView view,
        bool possible,
        CancellationToken cancellation
    )
    {
        var (values, problems) = Values(view);
        if (!problems.IsEmpty || (!deletes && view.Set.IsEmpty) || _keys.IsEmpty)
        {
            return (null, 0, await PreviewAsync(view, cancellation));
        }

        // What was not looked at as it is now is not touched.
        var records = (await ReadAsync(values, cancellation) as ReadResult.Rows)
            ?.Records.Where(record => record.Key is not null)
            .ToDictionary(record => record.Key!)
            ?? [];
        ImmutableArray<RecordKey> current =
        [
            .. _keys.Where(key =>
                records.TryGetValue(key, out var record)
                && view.Seen.GetValueOrDefault(key.ToText(_dataset)) == BulkRecords.Digest(_dataset, _watched, record)
                && Unfitting(values, record) is null
            ),
        ];
        if (current.Length < _keys.Length && (!possible || current.IsEmpty))
        {
            var again = await PreviewAsync(view, cancellation);
            return (
                null,
                0,
                again with
                {
                    Problem = again.Problem
                        ?? "Nothing was changed: somebody changed some of these records after the preview. The current values are shown.",
                }
            );
        }

        switch (
            await run.Gate.SaveEachAsync(
                run.App.Datasets,
                Changes(values, current, records),
                possible ? ManyChanges.ThosePossible : ManyChanges.AllOrNone,
                run.Writing,
                cancellation
            )
        )
        {
            case ManyResult.Done { Written: true } done:
                return (
                    [.. done.Each.Select(one => one.Saved).OfType<SavedChange>()],
                    _keys.Length - done.Each.Count(one => one.Saved is not null),
                    view
                );
            case ManyResult.Done:
                return (
                    null,
                    0,
                    await PreviewAsync(view, cancellation) with
                    {
                        Problem = "Nothing was done: the record has changed since. Check it again.",
                    }
                );
            case ManyResult.Denied denied:
                return (null, 0, view with { Problem = denied.Reason });
            case ManyResult.Failed failed:
                return (null, 0, view with { Problem = run.Words(failed.Failure) + " Nothing was done." });
            default:
                throw new InvalidOperationException("unknown result");
        }
    }

    private Grant Grant => run.Grants.For(_dataset.Id);

    private ImmutableArray<FieldName> Fields =>
        table.SheetFields.IsEmpty ? [.. table.Columns.Where(name => _dataset.Find(name) is not null)] : table.SheetFields;

    // Each change begins with what was read, so that the gate notices what happens until it writes.
    private ChangeSet Changes(BulkValues values, IEnumerable<RecordKey> keys, Dictionary<RecordKey, Record> records)
    {
        Change Of(RecordKey key)
        {
            var record = records.GetValueOrDefault(key);
            var original = record is null ? FieldValues.None : BulkRecords.Original(_watched, record);
            return deletes
                ? new Change.Delete(key, original)
                : new Change.Update(key, original, record is null ? values.Same : values.Of(_dataset, record, run.Format.Zone).Values);
        }

        return new ChangeSet(_dataset.Id, [.. keys.Select(Of)]);
    }

    // Why a record cannot have its new values.
    private string? Unfitting(BulkValues values, Record? record) =>
        record is null ? null : values.Of(_dataset, record, run.Format.Zone).Problem;

    private Task<ReadResult> ReadAsync(BulkValues values, CancellationToken cancellation) =>
        run.Gate.ReadAsync(
            run.App.Datasets,
            (all ? Matching() : ReadRequest.Of(_dataset, _keys)) with
            {
                Fields = _watched,
                Titles = _dataset.RelationsAt(_watched),
                Computed = values.Computed,
            },
            run.Grants,
            cancellation
        );

    // All that the table shows on its pages, in an order that stays while they are read.
    private ReadRequest Matching() =>
        new(_dataset.Id)
        {
            Filter = TableReader.FilterOf(run, table, _dataset) ?? new Filter.Nothing(),
            Search = run.State.List(table.Name).Search,
            Sort = [.. _dataset.Key.Select(name => new SortBy(name))],
            Window = new PageWindow.FromStart(0, MostTried),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };

    private (BulkValues Values, ImmutableArray<FieldProblem> Problems) Values(BulkView view)
    {
        var values = BulkValues.None;
        var problems = ImmutableArray.CreateBuilder<FieldProblem>();
        foreach (var field in view.Form.Form.Fields.Where(field => view.Set.Contains(field.Field.Name.Value)))
        {
            if (field.Text is ['=', .. var formula])
            {
                if (BulkValues.Problem(run.App.Datasets, _dataset, run.Grants, field.Field, formula) is { } wrong)
                {
                    problems.Add(new FieldProblem(field.Field.Name, wrong));
                }

                values = values with { Formulas = values.Formulas.SetItem(field.Field.Name, formula) };
                continue;
            }

            switch (FieldText.FromForm(field.Field.Type, field.Text, run.Format))
            {
                case Parsed.Value value:
                    values = values with { Same = values.Same.With(field.Field.Name, value.Is) };
                    break;
                case Parsed.Problem problem:
                    problems.Add(new FieldProblem(field.Field.Name, problem.Message));
                    break;
            }
        }

        return (values, problems.ToImmutable());
    }

    private ImmutableArray<BulkLine> Lines(
        BulkValues values,
        ImmutableArray<RecordKey> keys,
        Dictionary<RecordKey, Record> records,
        Dictionary<RecordKey, OneOfMany> tried
    )
    {
        ImmutableArray<FieldName> fields = [.. values.Fields];
        string Before(Record record, FieldName name) =>
            (_dataset.RelationOf(name) is { } relation ? record.TitleOf(relation.Name) : null)
            ?? run.Format.Display(_dataset[name], record[name]);
        BulkLine Line(RecordKey key)
        {
            if (!records.TryGetValue(key, out var record))
            {
                return new BulkLine(key.ToText(_dataset), "", "–", [], $"This {_dataset.RecordLabel} is no longer there.", []);
            }

            var (own, unfitting) = values.Of(_dataset, record, run.Format.Zone);
            string After(FieldName name) => _titles.GetValueOrDefault(name) ?? run.Format.Display(_dataset[name], own[name]);
            var one = tried.GetValueOrDefault(key);
            return new BulkLine(
                key.ToText(_dataset),
                BulkRecords.Digest(_dataset, _watched, record),
                record.Title,
                unfitting is null ? [.. fields.Select(name => (_dataset.LabelOf(name), Before(record, name), After(name)))] : [],
                unfitting ?? one?.Because,
                one?.Warnings ?? []
            );
        }

        return [.. keys.Select(Line)];
    }
}
