using System.Collections.Immutable;
using System.Security.Cryptography;
using System.Text;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>Changes or deletes the checked records of a table: first it is shown what would come of it, then it is done.</summary>
internal sealed class BulkEditing(PageRun run, TablePanel table, bool deletes)
{
    private const string SeenPrefix = "seen.";

    private readonly Dataset _dataset = table.Shown(run.App.Datasets.Find(table.Dataset)!);
    private readonly ImmutableArray<RecordKey> _keys = run.CheckedOf(table, run.App.Datasets.Find(table.Dataset)!);

    /// <summary>The form by which values are given, with nothing in it.</summary>
    public BulkView Begin() =>
        new()
        {
            Run = run,
            Table = table,
            Dataset = _dataset,
            Deletes = deletes,
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
                        .Fields.Where(field => field.ReadOnlyBecause is null && !field.Field.IsPicture)
                        .Select(field => field with { Text = "", Usual = "" }),
                ]),
            },
        };

    /// <summary>The same form with what was typed.</summary>
    public BulkView Filled(IFormCollection posted)
    {
        var view = Begin();
        return view with
        {
            Form = view.Form with { Form = view.Form.Form.Filled(posted) },
            Set = [.. view.Form.Form.Fields.Select(field => field.Field.Name.Value).Where(name => posted.ContainsKey($"set.{name}"))],
            Seen = posted
                .Where(part => part.Key.StartsWith(SeenPrefix, StringComparison.Ordinal))
                .ToImmutableDictionary(part => part.Key[SeenPrefix.Length..], part => part.Value.ToString()),
        };
    }

    /// <summary>What would come of it, or what is wrong with what was typed.</summary>
    public async Task<BulkView> PreviewAsync(BulkView view, CancellationToken cancellation)
    {
        if (_keys.IsEmpty)
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

        var records = await RecordsAsync(cancellation);
        return await run.Gate.SaveEachAsync(
            run.App.Datasets,
            Changes(values, _keys, records),
            ManyChanges.Tried,
            run.Grants,
            cancellation
        ) switch
        {
            ManyResult.Done done => view with { Preview = Lines(view, values, records, done) },
            ManyResult.Denied denied => view with { Problem = denied.Reason },
            ManyResult.Failed failed => view with { Problem = run.Words(failed.Failure) },
            _ => throw new InvalidOperationException("unknown result"),
        };
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
        var records = await RecordsAsync(cancellation);
        ImmutableArray<RecordKey> current =
        [
            .. _keys.Where(key =>
                records.TryGetValue(key, out var record) && view.Seen.GetValueOrDefault(key.ToText(_dataset)) == Standing(record)
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

    // The fields whose values decide whether a record is still what was looked at: all that can be read of it.
    private ImmutableArray<FieldName> Watched =>
        [
            .. _dataset
                .Fields.Where(known => known.Formula is null && Grant.Readable.Has(known.Name) && known.Type is not FieldType.Binary)
                .Select(known => known.Name),
        ];

    // Each change begins with what was read, so that the gate notices what happens until it writes.
    private ChangeSet Changes(FieldValues values, IEnumerable<RecordKey> keys, Dictionary<RecordKey, Record> records)
    {
        FieldValues Original(RecordKey key) =>
            records.TryGetValue(key, out var record)
                ? new FieldValues(record.Values(Watched).Where(pair => pair.Value is not Unreadable))
                : FieldValues.None;
        return new ChangeSet(
            _dataset.Id,
            [
                .. keys.Select(
                    Change (key) => deletes ? new Change.Delete(key, Original(key)) : new Change.Update(key, Original(key), values)
                ),
            ]
        );
    }

    private async Task<Dictionary<RecordKey, Record>> RecordsAsync(CancellationToken cancellation)
    {
        var request = ReadRequest.Of(_dataset, _keys) with
        {
            Fields = Watched,
            Titles = _dataset.RelationsAt(Watched),
            Now = run.Context.Now,
        };
        var read = await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) as ReadResult.Rows;
        return (read?.Records ?? []).Where(record => record.Key is not null).ToDictionary(record => record.Key!);
    }

    // A record's values in short, to be sent with the form: alike where, and only where, the values are.
    private string Standing(Record record)
    {
        var texts = Watched.Select(name =>
            record[name] switch
            {
                null => "-",
                Unreadable => "?",
                var value => "=" + FieldText.ToCanonical(_dataset[name].Type, value),
            }
        );
        return Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\0', texts))));
    }

    private (FieldValues Values, ImmutableArray<FieldProblem> Problems) Values(BulkView view)
    {
        var values = FieldValues.None;
        var problems = ImmutableArray.CreateBuilder<FieldProblem>();
        foreach (var field in view.Form.Form.Fields.Where(field => view.Set.Contains(field.Field.Name.Value)))
        {
            switch (FieldText.FromForm(field.Field.Type, field.Text, run.Format))
            {
                case Parsed.Value value:
                    values = values.With(field.Field.Name, value.Is);
                    break;
                case Parsed.Problem problem:
                    problems.Add(new FieldProblem(field.Field.Name, problem.Message));
                    break;
            }
        }

        return (values, problems.ToImmutable());
    }

    private ImmutableArray<BulkLine> Lines(BulkView view, FieldValues values, Dictionary<RecordKey, Record> records, ManyResult.Done done)
    {
        ImmutableArray<FieldName> fields = [.. values.Fields];
        string Before(Record record, FieldName name) =>
            (_dataset.RelationOf(name) is { } relation ? record.TitleOf(relation.Name) : null)
            ?? run.Format.Display(_dataset[name], record[name]);
        string After(FieldName name) =>
            view.Form.Form.Fields.First(field => field.Field.Name == name) is { Relation: not null, RelatedTitle: { } title }
                ? title
                : run.Format.Display(_dataset[name], values[name]);
        BulkLine Line(RecordKey key, OneOfMany one) =>
            records.TryGetValue(key, out var record)
                ? new BulkLine(
                    key.ToText(_dataset),
                    Standing(record),
                    record.Title,
                    [.. fields.Select(name => (_dataset.LabelOf(name), Before(record, name), After(name)))],
                    one.Because,
                    one.Warnings
                )
                : new BulkLine(key.ToText(_dataset), "", "–", [], $"This {_dataset.RecordLabel} is no longer there.", []);
        return [.. _keys.Zip(done.Each, Line)];
    }
}
