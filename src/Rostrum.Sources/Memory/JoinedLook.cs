using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>Joins the records of two sources in memory: those of the left one, and of the right one those that they refer to.</summary>
/// <remarks>A join has policies of its own, as a table has: what it reads of the two is read with all rights.</remarks>
internal static class JoinedLook
{
    /// <summary>So many records of the left dataset are joined for one request, and no more.</summary>
    public const int MostRecords = 10_000;

    public static async Task<Look> OpenAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        DatasetJoin join,
        Wanted wanted,
        CancellationToken cancellation
    )
    {
        if (catalogue.Find(join.Left) is not { } left || catalogue.Find(join.Right) is not { } right)
        {
            throw new SourceFailedException(
                new SourceFailure(FailureReason.StructureChanged, "One of the two datasets that are joined was removed.")
            );
        }

        var lefts = await ReadAsync(
            gate,
            catalogue,
            left,
            [.. join.Pairs.Select(pair => pair.Left), .. join.Fields.Where(field => !field.FromRight).Select(field => field.Field)],
            Narrowed(join, wanted),
            cancellation
        );
        var (first, keys) = (join.Pairs[0], new HashSet<object>());
        foreach (var record in lefts)
        {
            if (record[first.Left] is { } value and not Unreadable)
            {
                keys.Add(value);
            }
        }

        ImmutableArray<Record> rights =
            keys.Count == 0
                ? []
                : await ReadAsync(
                    gate,
                    catalogue,
                    right,
                    [.. join.Pairs.Select(pair => pair.Right), .. join.Fields.Where(field => field.FromRight).Select(field => field.Field)],
                    new Filter.OneOf(first.Right, [.. keys]),
                    cancellation
                );
        var byPairs = rights.ToLookup(record => new RecordKey([.. join.Pairs.Select(pair => record[pair.Right] ?? "")]));
        var rows = new List<object?[]>();
        foreach (var record in lefts)
        {
            var values = join.Pairs.Select(pair => record[pair.Left]).ToArray();
            Record?[] matches = values.Any(value => value is null or Unreadable) ? [] : [.. byPairs[new RecordKey([.. values!])]];
            foreach (var match in matches.Length == 0 && !join.OnlyMatching ? [null] : matches)
            {
                rows.Add(Row(wanted.Dataset, join, record, match));
            }
        }

        return new FetchedLook(new MemoryStatements(wanted.Dataset, rows, areDecided: false), wanted.Request, null, 0);
    }

    private static object?[] Row(Dataset dataset, DatasetJoin join, Record left, Record? right) =>
        MemoryTable.Row(dataset, field =>
            join.Fields.FirstOrDefault(known => known.Column == field.Column) is { } known
                ? (known.FromRight ? right : left)?[known.Field]
                : null
        );

    // What is asked of single columns of the left one is asked there.
    private static Filter Narrowed(DatasetJoin join, Wanted wanted)
    {
        FieldName? OfLeft(FieldName name) =>
            join.Fields.FirstOrDefault(field => !field.FromRight && field.Column == wanted.Dataset[name].Column)?.Field;
        Filter[] parts =
        [
            .. RequestFormulas
                .Conjuncts(wanted.Narrowing)
                .Where(part => !part.Fields.Any(wanted.IsSometimesHidden))
                .Concat(RequestFormulas.Conjuncts(wanted.Seen))
                .Select(part =>
                    part switch
                    {
                        Filter.OneOf one when OfLeft(one.Field) is { } field => one with { Field = field },
                        Filter.Compare compare when OfLeft(compare.Field) is { } field => compare with { Field = field },
                        Filter.Contains contains when OfLeft(contains.Field) is { } field => contains with { Field = field },
                        _ => (Filter)new Filter.Everything(),
                    }
                )
                .Where(part => part is not Filter.Everything),
        ];
        return parts.Length == 0 ? new Filter.Everything() : new Filter.And([.. parts]);
    }

    private static async Task<ImmutableArray<Record>> ReadAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset dataset,
        ImmutableArray<FieldName> fields,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. fields.Distinct()],
            Filter = filter,
            Window = new PageWindow.FromStart(0, MostRecords),
        };
        return await gate.ReadAsync(catalogue, request, Grants.ViewEverything, cancellation) switch
        {
            ReadResult.Rows { HasLater: true } => throw new SourceFailedException(
                new SourceFailure(
                    FailureReason.TooCostly,
                    $"More than {MostRecords.ToString("#,##0", CultureInfo.InvariantCulture)} {dataset.LabelInSentence} would have to be "
                        + "joined in memory. Narrow the list."
                )
            ),
            ReadResult.Rows rows => rows.Records,
            ReadResult.Failed failed => throw new SourceFailedException(failed.Failure),
            ReadResult.Invalid invalid => throw new SourceFailedException(
                new SourceFailure(FailureReason.StructureChanged, invalid.Problem)
            ),
            _ => [],
        };
    }
}
