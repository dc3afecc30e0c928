using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Logbook;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Together;

/// <summary>
/// Tells open pages and workflows that something was saved, and writes down what was saved of records that somebody watches, for
/// <see cref="Notifier"/> to tell.
/// </summary>
internal sealed partial class RecordEvents(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    RecordChanges pages,
    SaveOutbox outbox,
    ChangeOrigin origin,
    RecordFormat format,
    TimeProvider time,
    ILogger<RecordEvents> log
) : IRecordEvents
{
    private const int LongestValue = 80;

    // Everything that is saved is logged.
    public ValueTask<bool> HearsAsync(DatasetId dataset, CancellationToken cancellation) => ValueTask.FromResult(true);

    public async Task<object?> BeforeEndAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, string transaction) =>
        await outbox.WriteAsync(dataset, changes, transaction);

    public async Task SavedAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, object? told)
    {
        (Dataset Dataset, SavedChange Change)[] all =
        [
            .. changes.SelectMany(change => change.Along.Select(along => (along.Dataset, along.Change)).Prepend((dataset, change))),
        ];
        foreach (var id in all.Select(one => one.Dataset.Id.Value).Append(dataset.Id.Value).Distinct())
        {
            pages.Saved(id);
        }

        await outbox.SavedAsync(dataset, changes, told as long?);
        try
        {
            var workspace = await workspaces.GetAsync(CancellationToken.None);
            var watched = all.Where(one => workspace.WatchedDatasets.Contains(one.Dataset.Id.Value)).ToArray();
            if (watched.Length == 0)
            {
                return;
            }

            await using var store = await stores.CreateDbContextAsync();
            store.RecordEvents.AddRange(watched.Select(one => Event(one.Dataset, one.Change, origin.Who(workspace))));
            await store.SaveChangesAsync();
        }
        catch (Exception exception) when (exception is DbUpdateException or DbException or InvalidOperationException or TimeoutException)
        {
            LogUntold(exception, dataset.Label);
        }
    }

    public async Task StatementRanAsync(Dataset statement, int rows)
    {
        try
        {
            var (id, name) = origin.Who(await workspaces.GetAsync(CancellationToken.None));
            await using var store = await stores.CreateDbContextAsync();
            store.AuditEntries.Add(
                new AuditEntry
                {
                    At = time.GetUtcNow(),
                    PersonId = id,
                    PersonName = name ?? ChangeOrigin.Nobody,
                    Kind = AuditKind.Statements,
                    Subject = statement.Label,
                    Text = $"Ran the statement: {rows} {(rows == 1 ? "row" : "rows")} changed.",
                    Detail = RunAmbient.Current?.Workflow is { } workflow ? $"In the workflow “{workflow}”." : "",
                }
            );
            await store.SaveChangesAsync();
        }
        catch (Exception exception) when (exception is DbUpdateException or DbException or InvalidOperationException or TimeoutException)
        {
            LogUntold(exception, statement.Label);
        }
    }

    private RecordEvent Event(Dataset dataset, SavedChange saved, (Guid? Id, string? Name) by) =>
        new()
        {
            DatasetId = dataset.Id.Value,
            Key = (saved.Key ?? (saved.Applied as Change.Delete)?.Key)?.ToText(dataset) ?? "",
            Title = saved.Title,
            Kind = saved.Applied switch
            {
                Change.Update => "changed",
                Change.Delete => "deleted",
                _ => "added",
            },
            Changes = saved.Applied is Change.Update update ? string.Join('\n', Lines(dataset, update)) : "",
            ById = by.Id,
            ByName = by.Name ?? "somebody",
            At = time.GetUtcNow(),
        };

    private IEnumerable<string> Lines(Dataset dataset, Change.Update update) =>
        from pair in update.Values
        let field = dataset.Find(pair.Key)
        where field is not null
        let before = update.Original.Has(pair.Key) ? update.Original[pair.Key] : null
        select $"{pair.Key}\t{Shown(field, before)}\t{Shown(field, pair.Value)}";

    private string Shown(Field field, object? value)
    {
        var text = value is null ? "blank" : format.Display(field, value).ReplaceLineEndings(" ").Replace('\t', ' ');
        return text.Length > LongestValue ? text[..LongestValue] + "…" : text;
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "What happened to {Dataset} was not written down for those who ask for it")]
    private partial void LogUntold(Exception exception, string dataset);
}
