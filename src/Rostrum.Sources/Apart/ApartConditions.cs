using System.Runtime.CompilerServices;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Apart;

/// <summary>
/// Conditions that ask after one related record of another source: they are decided there first, and become “is one of these keys” here.
/// </summary>
internal static class ApartConditions
{
    private sealed record OfPolicy(Dataset Dataset, string Condition, Asked Asked);

    /// <summary>What a condition asks of a related record.</summary>
    /// <param name="Relation">The relation by which the record is reached.</param>
    /// <param name="Target">The dataset to which it leads.</param>
    /// <param name="Condition">The condition, as one over the related record.</param>
    /// <param name="Here">The condition as it was, over the record that refers.</param>
    /// <param name="Shape">That record's shape.</param>
    private sealed record Asked(Relation Relation, Dataset Target, Typed Condition, Typed Here, FormulaShape Shape)
    {
        /// <summary>The condition as one on the field that refers; null where too many records fit.</summary>
        public async Task<Filter?> DecidedAsync(OtherSources others, FormulaContext context, CancellationToken cancellation)
        {
            // Where it holds for no record too, as it may for one person and not for another, those are looked for for which it does not.
            var nothing = new FormulaRecord(Shape, new object?[Shape.Members.Length]);
            var holdsForNone = Compiler.Compile(Here, once: true)(nothing, context) is true;
            var keys = await others.KeysAsync(Target, Relation.TargetField, Condition, !holdsForNone, context, cancellation);
            Filter? found = keys is { } all ? new Filter.OneOf(Relation.Field, [.. all.Where(key => key is not null)]) : null;
            return found is not null && holdsForNone ? new Filter.Not(found) : found;
        }
    }

    // What the policies of some rights ask of other sources is found out once for each set of datasets.
    private static readonly ConditionalWeakTable<Rights, ConditionalWeakTable<DatasetCatalogue, OfPolicy[]>> Known = [];

    /// <summary>
    /// The grants with what the conditions on a dataset, and on those that are read together with it, ask of other sources decided; the
    /// same where they ask nothing.
    /// </summary>
    /// <exception cref="SourceFailedException">Another source cannot be read, or too many records fit.</exception>
    public static async Task<Grants> DecidedAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset read,
        Grants grants,
        FormulaContext context,
        CancellationToken cancellation
    )
    {
        if (!catalogue.HasRelationsApart)
        {
            return grants;
        }

        var asking = Known
            .GetOrCreateValue(grants.Rights)
            .GetValue(catalogue, known => OfPolicies(known, grants))
            .Where(policy => policy.Dataset.Id == read.Id || !policy.Dataset.IsApartFrom(read))
            .ToArray();
        if (asking.Length == 0)
        {
            return grants;
        }

        // A policy is its owner's: it sees every related record, whether or not the person may.
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        var others = new OtherSources(gate, catalogue, Grants.ViewEverything, shapes, context.Now);
        var decided = new Dictionary<(DatasetId, string), Filter>();
        foreach (var (dataset, condition, asked) in asking)
        {
            decided[(dataset.Id, condition)] = await asked.DecidedAsync(others, context with { Given = grants.Given }, cancellation)
                ?? throw new SourceFailedException(TooMany(asked.Target));
        }

        Filter Decided(DatasetId dataset, Filter filter) =>
            filter.Formulas.Any()
                ? RequestFormulas.TakenApart(filter).WithFormulas(holds => decided.GetValueOrDefault((dataset, holds.Formula), holds))
                : filter;
        return grants.WithConditions(Decided);
    }

    /// <summary>A request's filter with what it asks of one related record of another source decided, where few enough fit.</summary>
    public static async Task<Filter> DecidedAsync(
        OtherSources others,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Filter filter,
        RequestFormulas formulas,
        CancellationToken cancellation
    )
    {
        if (!catalogue.HasRelationsApart || !filter.Formulas.Any())
        {
            return filter;
        }

        var decided = new Dictionary<string, Filter>(StringComparer.Ordinal);
        foreach (var holds in filter.Conditions.Distinct())
        {
            if (
                Of(catalogue, dataset, formulas.Shapes, formulas[holds]) is { } asked
                && await asked.DecidedAsync(others, formulas.Context, cancellation) is { } condition
            )
            {
                decided[holds.Formula] = condition;
            }
        }

        return decided.Count == 0 ? filter : filter.WithFormulas(holds => decided.GetValueOrDefault(holds.Formula, holds));
    }

    /// <summary>Whether a condition asks after one related record of another source, and nothing else.</summary>
    public static bool Decides(DatasetCatalogue catalogue, Dataset dataset, DatasetShapes shapes, Typed condition) =>
        Of(catalogue, dataset, shapes, condition) is not null;

    private static SourceFailure TooMany(Dataset target) =>
        new(
            FailureReason.TooCostly,
            $"More than {OtherSources.MostRecords} {target.LabelInSentence} fit a condition of your access: too many to look for in "
                + "another source. Ask an owner to narrow the condition."
        );

    private static OfPolicy[] OfPolicies(DatasetCatalogue catalogue, Grants grants)
    {
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        return
        [
            .. from dataset in catalogue.All
            where dataset.Relations.Any(relation => catalogue.ApartTarget(dataset, relation) is not null)
            let grant = grants.For(dataset.Id)
            from formula in grant
                .Conditions.Values.Append(grant.Condition)
                .Concat(grant.ByRecord.Values.SelectMany(fields => fields.Parts).Select(part => part.Condition))
                .SelectMany(condition => RequestFormulas.TakenApart(condition).Conditions)
                .Distinct()
            let tree = grants.Names.Check(shapes.Of(dataset).Shape, formula.Formula, formula.Tree).Tree
            where tree is { Type: FormulaType.Boolean }
            let asked = Of(catalogue, dataset, shapes, tree)
            where asked is not null
            select new OfPolicy(dataset, formula.Formula, asked),
        ];
    }

    // Null where the condition reads anything else than one related record of another source.
    private static Asked? Of(DatasetCatalogue catalogue, Dataset dataset, DatasetShapes shapes, Typed tree)
    {
        var shape = shapes.Of(dataset);
        return
            FormulaNeeds.Of([tree]) is { Values.Count: 0, Lists.Count: 0, Records: { Count: 1 } records }
            && shape[records.First().Key] is ShapeMember.ToOne one
            && catalogue.ApartTarget(dataset, one.Relation) is { } target
            && Inlining.Through(tree, records.First().Key) is { } through
            ? new Asked(one.Relation, target, through, tree, shape.Shape)
            : null;
    }
}
