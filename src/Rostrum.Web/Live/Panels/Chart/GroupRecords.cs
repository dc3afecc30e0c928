using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>The records behind a figure.</summary>
/// <param name="Dataset">Their dataset.</param>
/// <param name="Label">What they have in common.</param>
internal sealed record GroupRecords(Dataset Dataset, string Label)
{
    private const int AtOnce = 50;
    private const int MostColumns = 5;

    /// <summary>The id of the panel's element, which shows them.</summary>
    public required string Panel { get; init; }

    /// <summary>The panel without them.</summary>
    public required string Close { get; init; }

    public ImmutableArray<(string Title, string? Address, ImmutableArray<ShownField> Fields)> Rows { get; init; } = [];

    /// <summary>How many there are in all, in words.</summary>
    public string Count { get; init; } = "";

    /// <summary>Why they are not shown.</summary>
    public string? Because { get; init; }

    public string? Earlier { get; init; }

    public string? Later { get; init; }

    /// <summary>One page of them.</summary>
    /// <param name="run">The look at the page.</param>
    /// <param name="filter">Which they are.</param>
    /// <param name="page">Which page, from 1.</param>
    /// <param name="addressOf">The address of another page.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<GroupRecords> ReadAsync(
        PageRun run,
        Filter filter,
        int page,
        Func<int, string> addressOf,
        CancellationToken cancellation
    )
    {
        ImmutableArray<FieldName> columns =
        [
            .. AppDrafting
                .Table("records", Dataset)
                .Columns.Where(column => Dataset.Title.All(part => part.Field != column || !part.Relations.IsEmpty))
                .Take(MostColumns),
        ];
        var request = new ReadRequest(Dataset.Id)
        {
            Fields = columns,
            Titles = Dataset.RelationsAt(columns),
            Filter = filter,
            Sort = AppDrafting.UsualOrder(Dataset),
            Window = new PageWindow.FromStart((long)(page - 1) * AtOnce, AtOnce),
            Counted = true,
            Names = run.Names,
            Now = run.Context.Now,
        };
        var result = await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        if (result is not ReadResult.Rows rows)
        {
            return this with { Because = run.Because(result) };
        }

        var first = ((long)(page - 1) * AtOnce) + 1;
        return this with
        {
            Rows =
            [
                .. rows.Records.Select(record =>
                    (record.Title, run.AddressOf(Dataset, record.Key), ShownField.Of(run.Format, Dataset, columns, record))
                ),
            ],
            Count =
                rows.Count is not { } count ? ""
                : rows.Records.IsEmpty || (page == 1 && !rows.HasLater) ? count.Said(run.Format.Culture)
                : $"{Whole(first)}–{Whole(first + rows.Records.Length - 1)} of {count.Said(run.Format.Culture)}",
            Earlier = page > 1 ? addressOf(page - 1) : null,
            Later = rows.HasLater ? addressOf(page + 1) : null,
        };

        string Whole(long number) => number.ToString("#,##0", run.Format.Culture);
    }
}
