using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Store;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Bulk;
using Rostrum.Web.Shared;

namespace Rostrum.Web.Imports;

/// <summary>What somebody wants to import: keeps the file, tries it and begins it.</summary>
internal sealed class FileImports(RostrumStore store, RecordFormat format, TimeProvider time)
{
    /// <summary>So large may a file be, in bytes.</summary>
    public const long LargestFile = 100L * 1024 * 1024;

    /// <summary>So many rows go in all or not at all: they are written in one transaction.</summary>
    public const int MostAtOnce = 5_000;

    private const int MostRows = 1_000_000;
    private const int InPart = 1_000;
    private const int PieceLength = 1024 * 1024;
    private const int PartsAtOnce = 50;
    private const int Looked = 200;
    private static readonly TimeSpan Kept = TimeSpan.FromDays(30);

    /// <summary>Keeps a file, with the plan that its first rows suggest for a dataset.</summary>
    public Task<Import> AddAsync(Import import, Stream file, Dataset dataset, Grant grant, CancellationToken cancellation) =>
        AddAsync(
            import,
            file,
            async read =>
            {
                var (plan, headings, rows) = await RecognisedAsync(read, cancellation);
                return Mapped(plan, headings, rows, dataset, grant) with { Match = [.. dataset.Key] };
            },
            cancellation
        );

    /// <summary>Keeps a file that is to become a table.</summary>
    public Task<Import> AddAsync(Import import, Stream file, CancellationToken cancellation) =>
        AddAsync(import, file, async read => (await RecognisedAsync(read, cancellation)).Plan, cancellation);

    private async Task<Import> AddAsync(
        Import import,
        Stream file,
        Func<ImportedFile, Task<ImportPlan>> suggest,
        CancellationToken cancellation
    )
    {
        var before = time.GetUtcNow() - Kept;
        await store.Imports.Where(row => row.At < before).ExecuteDeleteAsync(cancellation);
        await using var copy = TemporaryFile.Create();
        await file.CopyToAsync(copy, cancellation);
        await using (var read = new ImportedFile(copy, import.Kind))
        {
            import.Plan = await suggest(read);
            await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
            store.Imports.Add(import);
            await store.SaveChangesAsync(cancellation);
            copy.Position = 0;
            await foreach (var (number, bytes) in StreamPieces.ReadAsync(copy, PieceLength, cancellation))
            {
                store.ImportPieces.Add(
                    new ImportPiece
                    {
                        ImportId = import.Id,
                        Number = number,
                        Bytes = bytes,
                    }
                );
                await store.SaveChangesAsync(cancellation);
                store.ChangeTracker.Clear();
            }

            await transaction.CommitAsync(cancellation);
        }

        return import;
    }

    public Task<Import?> FindAsync(long id, Guid person, CancellationToken cancellation) =>
        store.Imports.AsNoTracking().FirstOrDefaultAsync(row => row.Id == id && row.PersonId == person, cancellation);

    /// <summary>The file as it was sent.</summary>
    public async Task<ImportedFile> OpenAsync(Import import, CancellationToken cancellation)
    {
        var file = TemporaryFile.Create();
        var pieces = store.ImportPieces.AsNoTracking().Where(piece => piece.ImportId == import.Id).OrderBy(piece => piece.Number);
        await foreach (var piece in pieces.AsAsyncEnumerable().WithCancellation(cancellation))
        {
            await file.WriteAsync(piece.Bytes, cancellation);
        }

        return new ImportedFile(file, import.Kind);
    }

    /// <summary>How a file seems to be written, with its headings and first rows.</summary>
    private async Task<(ImportPlan Plan, string[] Headings, IReadOnlyList<ImportedRow> Rows)> RecognisedAsync(
        ImportedFile file,
        CancellationToken cancellation
    )
    {
        var plan = new ImportPlan { Text = await file.SeemsAsync(cancellation) };
        var rows = await FirstAsync(file, plan, Looked, cancellation);
        if (rows.Count == 0)
        {
            throw new ImportFailedException("There are no rows in the file.");
        }

        plan = plan with { HasHeadings = ImportPlan.SeemsToHaveHeadings(rows[0].Cells) };
        var (headings, others) = Parted(plan, rows);
        return (plan with { Cells = CellForm.Of(others.SelectMany(row => row.Cells), format.Culture) }, headings, others);
    }

    /// <summary>The same with the columns as their headings and cells suggest.</summary>
    public ImportPlan Mapped(ImportPlan plan, string[] headings, IReadOnlyList<ImportedRow> rows, Dataset dataset, Grant grant) =>
        plan with
        {
            Into = ImportPlan.Guess(dataset, grant, headings, [.. rows.Select(row => row.Cells)], plan.Cells, format),
        };

    /// <summary>The first rows.</summary>
    public static async Task<IReadOnlyList<ImportedRow>> FirstAsync(
        ImportedFile file,
        ImportPlan plan,
        int count,
        CancellationToken cancellation
    )
    {
        var rows = new List<ImportedRow>();
        await foreach (var (number, cells) in file.ReadAsync(plan, cancellation))
        {
            rows.Add(new ImportedRow(number, cells));
            if (rows.Count > count)
            {
                break;
            }
        }

        return rows;
    }

    /// <summary>The headings, one for each column, blank where there are none; and the rows below them.</summary>
    public static (string[] Headings, IReadOnlyList<ImportedRow> Rows) Parted(ImportPlan plan, IReadOnlyList<ImportedRow> rows)
    {
        var columns = rows.Max(row => row.Cells.Length);
        string[] headings =
        [
            .. Enumerable.Range(0, columns).Select(at => plan.HasHeadings && at < rows[0].Cells.Length ? rows[0].Cells[at].Trim() : ""),
        ];
        return (headings, plan.HasHeadings ? [.. rows.Skip(1)] : rows);
    }

    /// <summary>Changes the plan: what was tried before counts no more.</summary>
    public Task PlanAsync(Import import, ImportPlan plan, CancellationToken cancellation)
    {
        import.Plan = plan;
        import.CheckId = null;
        return store
            .Imports.Where(row => row.Id == import.Id)
            .ExecuteUpdateAsync(
                row => row.SetProperty(known => known.Plan, plan).SetProperty(known => known.CheckId, (long?)null),
                cancellation
            );
    }

    /// <summary>Begins to try all rows, or to import them; or says why not. Begun once, it does not begin again.</summary>
    public async Task<(BulkChange? Begun, string? Problem)> BeginAsync(Import import, bool isTried, CancellationToken cancellation)
    {
        await using var file = await OpenAsync(import, cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var locked = await store.Imports.FromSql($"SELECT * FROM imports WHERE id = {import.Id} FOR UPDATE").SingleAsync(cancellation);
        if ((isTried ? locked.CheckId : locked.BulkId) is { } begun)
        {
            return (await store.BulkChanges.AsNoTracking().FirstOrDefaultAsync(row => row.Id == begun, cancellation), null);
        }

        var bulk = new BulkChange
        {
            PersonId = import.PersonId,
            DatasetId = import.DatasetId,
            Via = import.Via,
            App = import.IsLive || import.App == TableEditing.App ? import.App : null,
            Work = BulkWork.Import,
            Values = JsonSerializer.Serialize(locked.Plan, KindJson.Options),
            IsTried = isTried,
            Records = 0,
            At = time.GetUtcNow(),
        };
        store.BulkChanges.Add(bulk);
        await store.SaveChangesAsync(cancellation);
        var rows = await AddPartsAsync(file, locked.Plan, bulk.Id, cancellation);
        if (rows > MostRows)
        {
            return (null, $"The file has more than {MostRows:#,##0} rows: part it.");
        }

        if (locked.Plan.AllOrNothing && rows > MostAtOnce)
        {
            return (null, $"All or nothing is possible up to {MostAtOnce:#,##0} rows; the file has {rows:#,##0}.");
        }

        await store
            .BulkChanges.Where(row => row.Id == bulk.Id)
            .ExecuteUpdateAsync(row => row.SetProperty(known => known.Records, rows), cancellation);
        var number = (long?)bulk.Id;
        var which = store.Imports.Where(row => row.Id == import.Id);
        await (
            isTried
                ? which.ExecuteUpdateAsync(row => row.SetProperty(known => known.CheckId, number), cancellation)
                : which.ExecuteUpdateAsync(row => row.SetProperty(known => known.BulkId, number), cancellation)
        );
        await transaction.CommitAsync(cancellation);
        return (bulk, null);
    }

    // How many rows there are; beyond those that are possible none is counted.
    private async Task<int> AddPartsAsync(ImportedFile file, ImportPlan plan, long bulk, CancellationToken cancellation)
    {
        var length = plan.AllOrNothing ? MostAtOnce : InPart;
        var (part, number, rows) = (new List<string[]>(length), 0, 0);
        async Task SendAsync()
        {
            store.BulkParts.Add(
                new BulkPart
                {
                    BulkId = bulk,
                    Number = number++,
                    Records = JsonSerializer.Serialize(part),
                }
            );
            part.Clear();
            if (number % PartsAtOnce == 0)
            {
                await store.SaveChangesAsync(cancellation);
                store.ChangeTracker.Clear();
            }
        }

        await foreach (var row in RowsAsync(file, plan, cancellation))
        {
            if (++rows > MostRows)
            {
                break;
            }

            part.Add([row.Number.ToString(System.Globalization.CultureInfo.InvariantCulture), .. row.Cells.Select(Storable)]);
            if (part.Count == length)
            {
                await SendAsync();
            }
        }

        if (part.Count > 0)
        {
            await SendAsync();
        }

        await store.SaveChangesAsync(cancellation);
        store.ChangeTracker.Clear();
        return rows;
    }

    /// <summary>A cell as PostgreSQL can hold it: its texts have no character 0.</summary>
    public static string Storable(string cell) => cell.Replace("\0", "", StringComparison.Ordinal);

    /// <summary>The rows below the headings.</summary>
    public static async IAsyncEnumerable<ImportedRow> RowsAsync(
        ImportedFile file,
        ImportPlan plan,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        var isFirst = true;
        await foreach (var (number, cells) in file.ReadAsync(plan, cancellation))
        {
            if (!(isFirst && plan.HasHeadings))
            {
                yield return new ImportedRow(number, cells);
            }

            isFirst = false;
        }
    }
}
