using System.Collections.Frozen;
using System.Collections.Immutable;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Logging.Abstractions;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Apart;
using Rostrum.Sources.Http;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>Knows how to reach each source.</summary>
public interface ISourceDirectory
{
    /// <summary>A source's settings, or null where there is no such source.</summary>
    ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation);

    /// <summary>Hears that a source could not do what it was asked; nobody waits for what is done about it.</summary>
    void Failed(SourceId source, SourceFailure failure) { }
}

/// <summary>The only door to records. It takes a request and the grants of who makes it, and lets through what the grants allow.</summary>
/// <remarks>Nothing else in the solution can read or write a source's records; an architecture test holds that.</remarks>
public sealed partial class RecordGate : IAsyncDisposable
{
    private readonly ISourceDirectory _sources;
    private readonly RecordFormat _format;
    private readonly TimeProvider _clock;
    private readonly ILogger _log;
    private readonly SourceConnections _connections;
    private readonly Gathering? _gathering;
    private readonly (SourceId Source, Statements Statements)? _within;
    private readonly Action<SourceCall>? _told;
    private readonly SaveHooks _hooks = new(null, null);

    /// <param name="sources">Where the sources are.</param>
    /// <param name="format">How the workspace writes values, and its time zone.</param>
    /// <param name="clock">Says what is now for formulas.</param>
    /// <param name="log">Takes what sources fail at.</param>
    /// <param name="services">What the workspace around the sources gives.</param>
    /// <param name="hooks">Who is asked before records are saved, and told after it.</param>
    public RecordGate(
        ISourceDirectory sources,
        RecordFormat format,
        TimeProvider? clock = null,
        ILogger<RecordGate>? log = null,
        SourceServices? services = null,
        SaveHooks? hooks = null
    )
        : this(
            sources,
            format,
            clock ?? TimeProvider.System,
            new SourceConnections(services),
            log ?? NullLogger<RecordGate>.Instance,
            null
        ) => _hooks = hooks ?? new SaveHooks(null, null);

    private RecordGate(
        ISourceDirectory sources,
        RecordFormat format,
        TimeProvider clock,
        SourceConnections connections,
        ILogger log,
        Gathering? gathering
    ) => (_sources, _format, _clock, _connections, _log, _gathering) = (sources, format, clock, connections, log, gathering);

    /// <summary>
    /// The same gate for what is shown together: requests that are made while it is held go to their source in one round trip.
    /// </summary>
    public RecordGate ForOnePage() => _told is not null ? this : new RecordGate(this, new Gathering());

    private RecordGate(RecordGate gate, Gathering gathering)
        : this(gate._sources, gate._format, gate._clock, gate._connections, gate._log, gathering) => _hooks = gate._hooks;

    // The same gate for who looks on from within a transaction: what is locked there is read as it is.
    private RecordGate(RecordGate gate, SourceId source, Statements statements)
        : this(gate._sources, gate._format, gate._clock, gate._connections, gate._log, null) =>
        (_within, _hooks) = ((source, statements), gate._hooks);

    /// <summary>The same gate for who wonders what reading costs: each statement goes by itself, and what it took is told.</summary>
    public RecordGate Watched(Action<SourceCall> told) => new(this, told);

    private RecordGate(RecordGate gate, Action<SourceCall> told)
        : this(gate._sources, gate._format, gate._clock, gate._connections, gate._log, null) => (_told, _hooks) = (told, gate._hooks);

    /// <summary>
    /// Holds requests until what is given is disposed of. Only the gate of one page can be held; any other does not wait.
    /// </summary>
    public IDisposable Hold() => new Held(_gathering);

    private sealed class Held : IDisposable
    {
        private readonly Gathering? _gathering;

        public Held(Gathering? gathering)
        {
            _gathering = gathering;
            gathering?.Hold();
        }

        public void Dispose() => _gathering?.Release();
    }

    /// <summary>
    /// Reads records. Fields and titles that may not be read are left out; sorting, filtering and searching by them is refused.
    /// </summary>
    public async Task<ReadResult> ReadAsync(DatasetCatalogue catalogue, ReadRequest request, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(request);
        var (allowed, formulas, refusal) = Allow(catalogue, OrderedByTitles(catalogue, request, grants), grants);
        if (allowed is null)
        {
            return refusal!;
        }

        return await ReadDecidedAsync(catalogue, allowed, formulas!, grants, cancellation);
    }

    /// <summary>The same, of a request that was found to be allowed.</summary>
    internal Task<ReadResult> ReadDecidedAsync(
        DatasetCatalogue catalogue,
        ReadRequest allowed,
        RequestFormulas formulas,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var dataset = catalogue.Find(allowed.Dataset)!;
        return FromSourceAsync<ReadResult>(
            new Reading(catalogue, dataset, allowed, grants, formulas, IsPage: true),
            async (reads, look, token) => look.Placed(await reads.ReadAsync(look.Statements, dataset, look.Request, token)),
            failure => new ReadResult.Failed(failure),
            cancellation
        );
    }

    /// <summary>Says how a request would be carried out: for builders, who wonder why it takes long.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="request">The request.</param>
    /// <param name="grants">The grants of who makes it; the same is refused as when reading.</param>
    /// <param name="run">Carry it out as well, so that the plan says what really happened.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ExplainResult> ExplainAsync(
        DatasetCatalogue catalogue,
        ReadRequest request,
        Grants grants,
        bool run,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(request);
        var (allowed, formulas, refusal) = Allow(catalogue, request, grants);
        return allowed is null
            ? new ExplainResult.Not(refusal is ReadResult.Denied denied ? denied.Reason : ((ReadResult.Invalid)refusal!).Problem)
            : await FromSourceAsync<ExplainResult>(
                new Reading(catalogue, catalogue.Find(request.Dataset)!, allowed, grants, formulas!, IsPage: true),
                (reads, look, token) => reads.ExplainAsync(look.Statements, catalogue.Find(request.Dataset)!, look.Request, run, token),
                failure => new ExplainResult.Not(failure.Message),
                cancellation
            );
    }

    /// <summary>
    /// Says by which roles and policies a person may or may not do each thing with a dataset's records, or with one of them.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="record">The record in question; null where none is.</param>
    /// <param name="roles">The person's roles.</param>
    /// <param name="policies">All policies.</param>
    /// <param name="user">The person, for conditions that ask.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <remarks>Each condition is put to the source by itself, in the way in which it narrows a read: what is said is what
    /// happens.</remarks>
    public async Task<ImmutableArray<Decision>> DecideAsync(
        DatasetCatalogue catalogue,
        Dataset dataset,
        RecordKey? record,
        IReadOnlySet<string> roles,
        ImmutableArray<Policy> policies,
        SignedIn? user,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var decisions = ImmutableArray.CreateBuilder<Decision>();
        foreach (var verb in Rights.EachVerb)
        {
            var reasons = ImmutableArray.CreateBuilder<DecisionReason>();
            foreach (var (policy, condition) in Decision.About(verb, roles, policies, dataset.Id))
            {
                bool? holds = condition is Filter.Everything ? true : null;
                if (holds is null && record is not null)
                {
                    var alone = Grants.Of(roles, [Policy.On(policy.Role, dataset.Id, Verbs.View) with { Condition = condition }], user);
                    holds =
                        await ReadAsync(catalogue, ReadRequest.Of(dataset, record), alone, cancellation)
                            is ReadResult.Rows { Records: [_] };
                }

                reasons.Add(
                    new DecisionReason(policy.Role, condition is Filter.Everything ? null : string.Join(" and ", condition.Formulas), holds)
                );
            }

            decisions.Add(new Decision(verb, reasons.ToImmutable()));
        }

        return decisions.ToImmutable();
    }

    /// <summary>
    /// What keeps a policy's condition from being decided; null where nothing does. One with a problem would let nothing through.
    /// </summary>
    /// <param name="kind">The kind of the dataset's source: what one can decide, another cannot.</param>
    /// <param name="catalogue">The datasets that there are.</param>
    /// <param name="dataset">The dataset whose records the condition is about.</param>
    /// <param name="condition">The condition, a formula.</param>
    /// <param name="user">Which names <c>user</c> has.</param>
    public static string? ProblemOf(string kind, DatasetCatalogue catalogue, Dataset dataset, string condition, SignedIn? user = null) =>
        GrantSql.Problem(SourceProvider.Of(kind).Language, catalogue, dataset, condition, user);

    /// <summary>Closes the connections.</summary>
    public ValueTask DisposeAsync() => _connections.DisposeAsync();

    // What people order by a related record of another source is ordered by its title, which memory computes.
    private static ReadRequest OrderedByTitles(DatasetCatalogue catalogue, ReadRequest request, Grants grants)
    {
        if (request.Sort.IsEmpty || !catalogue.HasRelationsApart || catalogue.Find(request.Dataset) is not { } dataset)
        {
            return request;
        }

        var shapes = request.Names?.Shapes ?? DatasetShapes.Of(catalogue, grants);
        foreach (var (by, at) in request.Sort.Select((by, at) => (by, at)))
        {
            if (
                dataset.RelationOf(by.Field) is { } relation
                && catalogue.ApartTarget(dataset, relation) is { } target
                && shapes.Of(dataset).Shape.IndexOf(relation.Name.Value) >= 0
                && !shapes.Of(target).Shape.Title.IsEmpty
            )
            {
                var name = new FieldName($"title of {relation.Name}");
                request = request with
                {
                    Computed = [.. request.Computed, new ComputedColumn(name, $"TITLE({Formatter.Name(relation.Name.Value)})")],
                    Sort = request.Sort.SetItem(at, by with { Field = name }),
                };
            }
        }

        return request;
    }

    // The request as far as the person may make it, with its formulas; or why it is refused.
    private (ReadRequest? Allowed, RequestFormulas? Formulas, ReadResult? Refusal) Allow(
        DatasetCatalogue catalogue,
        ReadRequest request,
        Grants grants
    )
    {
        var computed = request.Computed.Select(column => column.Name).ToHashSet();
        if (
            Refusal(
                catalogue,
                request.Dataset,
                grants,
                [.. request.Filter.Fields, .. request.Sort.Select(sort => sort.Field).Where(field => !computed.Contains(field))]
            ) is
            { } reason
        )
        {
            return (null, null, new ReadResult.Denied(reason));
        }

        var dataset = catalogue.Find(request.Dataset)!;
        if (
            request.Filter.LooksAtOthers.SelectMany(alike => alike.Among) is var among
            && among.Any()
            && (grants.For(dataset.Id) is var grant && grant.Condition is not Filter.Everything || !among.All(grant.IsReadableInAll))
        )
        {
            return (null, null, new ReadResult.Denied($"Only who sees all {dataset.LabelInSentence} can look for those that are alike."));
        }

        if (
            request.Filter.LooksAtOthers.SelectMany(alike => alike.Among).FirstOrDefault(name => dataset[name].Formula is not null) is
            { Value: not null } made
        )
        {
            return (null, null, new ReadResult.Invalid($"“{dataset[made].Label}” is computed: records are alike by what the table keeps."));
        }

        var readable = grants.For(dataset.Id).Readable;
        var names = request.Names ?? new RequestNames(DatasetShapes.Of(catalogue, grants), grants.Names, grants.Given);
        if (!ReferenceEquals(names.Shapes.Rights, grants.Rights))
        {
            throw new ArgumentException("The names of a request are made with the rights of whoever makes it.", nameof(request));
        }

        var fields = new ComputedFields(dataset, names.Shapes, grants.For(dataset.Id));
        if (
            request
                .Filter.Fields.Concat(request.Sort.Select(sort => sort.Field))
                .FirstOrDefault(name => !computed.Contains(name) && !fields.CanBeHad(name)) is
            { Value: not null } lost
        )
        {
            return (
                null,
                null,
                new ReadResult.Denied(
                    $"“{dataset[lost].Label}” cannot be computed for you, so nothing can be narrowed, ordered or counted by it."
                )
            );
        }

        var expanded = fields.Expand(
            request with
            {
                Fields = [.. request.Fields.Where(field => dataset.Find(field) is not null && readable.Has(field)).Distinct()],
                Titles = [.. request.Titles.Distinct()],
            }
        );
        expanded = expanded with { Filter = RequestFormulas.TakenApart(expanded.Filter) };
        var (formulas, problem) = RequestFormulas.Check(names, Context(request.Now), dataset, expanded.Computed, expanded.Filter);
        return problem is not null ? (null, null, new ReadResult.Invalid(problem)) : (expanded, formulas, null);
    }

    // Databases keep instants to the microsecond; so does the request's moment.
    private FormulaContext Context(DateTimeOffset? now)
    {
        var moment = (now ?? _clock.GetUtcNow()).ToUniversalTime();
        return new FormulaContext(moment.AddTicks(-(moment.Ticks % TimeSpan.TicksPerMicrosecond)), _format.Zone);
    }

    private static string? Refusal(DatasetCatalogue catalogue, DatasetId id, Grants grants, IEnumerable<FieldName> fields)
    {
        if (catalogue.Find(id) is not { } dataset)
        {
            return "There is no such dataset.";
        }

        if (dataset.IsStatement)
        {
            return $"“{dataset.Label}” changes data: it has no records to show.";
        }

        var grant = grants.For(id);
        return !grant.Allows(Verbs.View) ? $"You may not see {dataset.LabelInSentence}."
            : fields.Any(field => dataset.Find(field) is null || !grant.Readable.Has(field))
                ? "The list cannot be narrowed or ordered by a field that is not there for you."
            : null;
    }

    /// <summary>A request that was found to be allowed.</summary>
    private sealed record Reading(
        DatasetCatalogue Catalogue,
        Dataset Dataset,
        ReadRequest Request,
        Grants Grants,
        RequestFormulas Formulas,
        bool IsPage
    );

    // What the request and the policies ask of other sources is decided there first; what is left is one source's own.
    private Task<T> FromSourceAsync<T>(
        Reading reading,
        Func<SqlReads, Look, CancellationToken, Task<T>> work,
        Func<SourceFailure, T> failed,
        CancellationToken cancellation
    ) =>
        InSourceAsync(
            reading.Dataset,
            async source =>
            {
                var (catalogue, dataset, request, grants, formulas, isPage) = reading;
                var others = new OtherSources(this, catalogue, grants, formulas.Shapes, formulas.Context.Now);
                if (catalogue.HasRelationsApart)
                {
                    request = request with
                    {
                        Filter = await ApartConditions.DecidedAsync(others, catalogue, dataset, request.Filter, formulas, cancellation),
                    };
                    if (request.Search.Length > 0)
                    {
                        await others.FindTitlesAsync(dataset, request.Search, formulas, cancellation);
                    }
                }

                var decided = await ApartConditions.DecidedAsync(this, catalogue, dataset, grants, formulas.Context, cancellation);
                var grant = decided.For(dataset.Id);
                var wanted = new Wanted(dataset, request, grant.Condition, isPage, _told)
                {
                    IsSometimesHidden = field => grant.WhereReadable(field) is not null,
                };
                await using var look =
                    _within is { } within && within.Source == dataset.Source && dataset.IsOfTables ? new Look(within.Statements, request)
                    : dataset is { Join: { } join, IsFetched: true }
                        ? await JoinedLook.OpenAsync(this, catalogue, join, wanted, cancellation)
                    : await source.LookAsync(wanted, _gathering, cancellation);
                var reads = new SqlReads(look.Statements.Engine, RequestScope.Of(catalogue, decided, formulas), _format, others);
                return await work(reads, look, cancellation);
            },
            failed,
            cancellation
        );

    private async Task<T> InSourceAsync<T>(
        Dataset dataset,
        Func<ISource, Task<T>> work,
        Func<SourceFailure, T> failed,
        CancellationToken cancellation
    )
    {
        if (dataset.GoneBecause is { } gone)
        {
            return failed(new SourceFailure(FailureReason.Other, gone));
        }

        if (await _sources.FindAsync(dataset.Source, cancellation) is not { } settings)
        {
            return failed(new SourceFailure(FailureReason.Other, $"The source of {dataset.LabelInSentence} was removed."));
        }

        var source = _connections.For(dataset.Source, settings);
        using var call = SourceTelemetry.Begin(_log, dataset);
        try
        {
            return await work(source);
        }
        catch (SourceFailedException exception)
        {
            return failed(exception.Failure);
        }
        catch (FormulaBudgetException exception)
        {
            return failed(call.Failed(new SourceFailure(FailureReason.TooCostly, exception.Message)));
        }
        catch (EndUncertainException exception)
        {
            return failed(Noted(source.FailureOf(exception.InnerException!) with { IsUncertain = true }));
        }
        catch (Exception exception) when (source.IsExpected(exception))
        {
            return failed(Noted(source.FailureOf(exception)));
        }

        SourceFailure Noted(SourceFailure failure)
        {
            _sources.Failed(dataset.Source, failure);
            return call.Failed(failure);
        }
    }
}
