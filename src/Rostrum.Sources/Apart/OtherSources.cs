using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Apart;

/// <summary>
/// Reads what a relation gives where no statement can join it: by the keys that the rows hold, for all of them at once, through the gate.
/// </summary>
/// <param name="gate">The gate.</param>
/// <param name="catalogue">The datasets.</param>
/// <param name="grants">What the person may see.</param>
/// <param name="shapes">The names within the person's rights.</param>
/// <param name="now">The request's moment.</param>
internal sealed class OtherSources(RecordGate gate, DatasetCatalogue catalogue, Grants grants, DatasetShapes shapes, DateTimeOffset now)
{
    /// <summary>So many records of another source are read for the rows of one request, and no more.</summary>
    public const int MostRecords = 10_000;

    /// <summary>The titles of the records to which a relation leads, by the values that refer to them.</summary>
    /// <remarks>Where the other source fails there are none: people see what the rows themselves hold.</remarks>
    public Task<IReadOnlyDictionary<object, string>> TitlesAsync(
        Relation relation,
        Dataset target,
        IReadOnlyCollection<object> values,
        CancellationToken cancellation
    ) => OfRecordsAsync(relation, target, values, [], record => record.Title, cancellation);

    /// <summary>A field of the records to which a relation leads, by the values that refer to them.</summary>
    public Task<IReadOnlyDictionary<object, object?>> ValuesAsync(
        ApartField apart,
        IReadOnlyCollection<object> values,
        CancellationToken cancellation
    ) => OfRecordsAsync(apart.Relation, apart.Target, values, [apart.Field.Name], record => record[apart.Field.Name], cancellation);

    private async Task<IReadOnlyDictionary<object, T>> OfRecordsAsync<T>(
        Relation relation,
        Dataset target,
        IReadOnlyCollection<object> values,
        ImmutableArray<FieldName> fields,
        Func<Record, T> of,
        CancellationToken cancellation
    )
    {
        if (values.Count == 0 || !grants.For(target.Id).Allows(Verbs.View))
        {
            return ImmutableDictionary<object, T>.Empty;
        }

        var request = ByValues(target, relation.TargetField, values) with { Fields = [relation.TargetField, .. fields], Now = now };
        return await gate.ReadAsync(catalogue, request, grants, cancellation) is ReadResult.Rows rows
            ? rows
                .Records.Where(record => record[relation.TargetField] is not null)
                .DistinctBy(record => record[relation.TargetField])
                .ToDictionary(record => record[relation.TargetField]!, of)
            : ImmutableDictionary<object, T>.Empty;
    }

    /// <summary>The records that have one of some values in a field, as formulas see them, by those values.</summary>
    /// <exception cref="SourceFailedException">They cannot be read, or are too many: a total over some of them would be wrong.</exception>
    public async Task<ILookup<object, FormulaRecord>> RecordsAsync(
        DatasetShape from,
        FieldName by,
        IReadOnlyCollection<object> values,
        FormulaNeeds needs,
        CancellationToken cancellation
    )
    {
        if (values.Count == 0)
        {
            return FormulaRecords.None;
        }

        var request = ByValues(from.Dataset, by, values) with { Window = new PageWindow.FromStart(0, MostRecords) };
        var (result, records) = await new FormulaRecords(gate, catalogue, shapes, grants, now).ByAsync(
            from.Dataset,
            request,
            by,
            needs,
            cancellation
        );
        return result switch
        {
            ReadResult.Rows { HasLater: true } => throw new SourceFailedException(
                new SourceFailure(FailureReason.TooCostly, $"Too many {from.Dataset.LabelInSentence} would have to be looked at.")
            ),
            ReadResult.Failed failed => throw new SourceFailedException(failed.Failure),
            _ => records,
        };
    }

    /// <summary>
    /// The values of a field in the records for which a formula holds, or does not; null where they are too many.
    /// </summary>
    public async Task<ImmutableArray<object?>?> KeysAsync(
        Dataset target,
        FieldName field,
        Typed condition,
        bool isTrue,
        FormulaContext context,
        CancellationToken cancellation
    )
    {
        var holds = new Filter.Holds("it holds");
        var request = new ReadRequest(target.Id)
        {
            Fields = [field],
            Filter = isTrue ? holds : new Filter.Not(holds),
            Window = new PageWindow.FromStart(0, MostRecords),
            Now = now,
        };
        return await gate.ReadDecidedAsync(
            catalogue,
            request,
            RequestFormulas.Of(shapes, context, holds, condition),
            grants,
            cancellation
        ) switch
        {
            ReadResult.Rows { HasLater: true } => null,
            ReadResult.Rows rows => [.. rows.Records.Select(record => record[field]).Distinct()],
            ReadResult.Failed failed => throw new SourceFailedException(failed.Failure),
            _ => [],
        };
    }

    /// <summary>For each relation to another source, and each word: the keys of the records whose titles have the word in them.</summary>
    public async Task FindTitlesAsync(Dataset dataset, string search, RequestFormulas formulas, CancellationToken cancellation)
    {
        foreach (var relation in dataset.Relations.Where(relation => grants.For(dataset.Id).Readable.Has(relation.Field)))
        {
            if (
                catalogue.ApartTarget(dataset, relation) is not { } target
                || !grants.For(target.Id).Allows(Verbs.View)
                || !grants.For(target.Id).Readable.Has(relation.TargetField)
            )
            {
                continue;
            }

            var texts = target
                .Title.Where(path => path.Relations.IsEmpty && target.Find(path.Field) is { Formula: null, Type.IsTextual: true })
                .Where(path => grants.For(target.Id).Readable.Has(path.Field))
                .ToArray();
            foreach (var word in SelectPlan.Words(search))
            {
                var request = new ReadRequest(target.Id)
                {
                    Fields = [relation.TargetField],
                    Filter = new Filter.Or([.. texts.Select(path => new Filter.Contains(path.Field, word))]),
                    Window = new PageWindow.FromStart(0, MostRecords),
                    Now = now,
                };
                var found = texts.Length == 0 ? null : await gate.ReadAsync(catalogue, request, grants, cancellation) as ReadResult.Rows;
                formulas.Found[(relation.Name, word)] =
                [
                    .. found?.Records.Select(record => record[relation.TargetField]).OfType<object>() ?? [],
                ];
            }
        }
    }

    private static ReadRequest ByValues(Dataset target, FieldName field, IReadOnlyCollection<object> values) =>
        new(target.Id) { Filter = new Filter.OneOf(field, [.. values]), Window = new PageWindow.FromStart(0, Math.Max(1, values.Count)) };
}
