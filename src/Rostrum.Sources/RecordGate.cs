using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Postgres;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>Knows how to reach each source.</summary>
public interface ISourceDirectory
{
    /// <summary>A source's settings, or null where there is no such source.</summary>
    ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation);
}

/// <summary>The only door to records. It takes a request and the grants of who makes it, and lets through what the grants allow.</summary>
/// <remarks>Nothing else in the solution can read or write a source's records; an architecture test holds that.</remarks>
/// <param name="sources">Where the sources are.</param>
/// <param name="format">How the workspace writes values, and its time zone.</param>
/// <param name="clock">Says what is now for formulas.</param>
public sealed class RecordGate(ISourceDirectory sources, RecordFormat format, TimeProvider? clock = null) : IAsyncDisposable
{
    private readonly PostgresConnections _connections = new();

    /// <summary>Reads records. Fields and titles that may not be read are left out; sorting, filtering and searching by them is refused.</summary>
    public async Task<ReadResult> ReadAsync(DatasetCatalogue catalogue, ReadRequest request, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(request);
        var (allowed, formulas, refusal) = Allow(catalogue, request, grants);
        if (allowed is null)
        {
            return refusal!;
        }

        var dataset = catalogue.Find(request.Dataset)!;
        return await AtSourceAsync<ReadResult>(
            dataset,
            (connection, token) => new PostgresReads(catalogue, grants, format, formulas!).ReadAsync(connection, dataset, allowed, token),
            failure => new ReadResult.Failed(failure),
            cancellation);
    }

    /// <summary>Says how a request would be carried out: for builders, who wonder why it takes long.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="request">The request.</param>
    /// <param name="grants">The grants of who makes it; the same is refused as when reading.</param>
    /// <param name="run">Carry it out as well, so that the plan says what really happened.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ExplainResult> ExplainAsync(DatasetCatalogue catalogue, ReadRequest request, Grants grants, bool run, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(request);
        var (allowed, formulas, refusal) = Allow(catalogue, request, grants);
        return allowed is null
            ? new ExplainResult.Not(refusal is ReadResult.Denied denied ? denied.Reason : ((ReadResult.Invalid)refusal!).Problem)
            : await AtSourceAsync<ExplainResult>(
                catalogue.Find(request.Dataset)!,
                (connection, token) => new PostgresReads(catalogue, grants, format, formulas!).ExplainAsync(connection, catalogue.Find(request.Dataset)!, allowed, run, token),
                failure => new ExplainResult.Not(failure.Message),
                cancellation);
    }

    /// <summary>Counts records by the values of a field.</summary>
    public async Task<GroupResult> GroupAsync(DatasetCatalogue catalogue, GroupRequest request, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(request);

        // To be counted by a field says as much of it as to be sorted by it.
        var read = new ReadRequest(request.Dataset) { Computed = request.Computed, Filter = request.Filter, Search = request.Search, Sort = [new SortBy(request.Field)] };
        var (allowed, formulas, refusal) = Allow(catalogue, read, grants);
        if (allowed is null)
        {
            return refusal is ReadResult.Denied denied ? new GroupResult.Denied(denied.Reason) : new GroupResult.Invalid(((ReadResult.Invalid)refusal!).Problem);
        }

        var dataset = catalogue.Find(request.Dataset)!;
        return await AtSourceAsync<GroupResult>(
            dataset,
            (connection, token) => new PostgresReads(catalogue, grants, format, formulas!).GroupAsync(connection, dataset, allowed, request.Limit, token),
            failure => new GroupResult.Failed(failure),
            cancellation);
    }

    /// <summary>What keeps a policy's condition from being decided; null where nothing does. One with a problem would let nothing through.</summary>
    public static string? ProblemOf(DatasetCatalogue catalogue, Dataset dataset, string condition) => GrantSql.Problem(catalogue, dataset, condition);

    /// <summary>Writes all of a change set or nothing of it.</summary>
    public Task<SaveResult> SaveAsync(DatasetCatalogue catalogue, ChangeSet changes, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(changes);
        return WriteAsync(catalogue, changes, grants, NeededFor, cancellation);
    }

    /// <summary>Takes back a change that the person made: allowed to whoever may still do what is taken back.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="inverse">What takes the change back.</param>
    /// <param name="grants">The person's grants as they are now.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public Task<SaveResult> UndoAsync(DatasetCatalogue catalogue, ChangeSet inverse, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(inverse);
        return WriteAsync(catalogue, inverse, grants, NeededToUndo, cancellation);
    }

    /// <summary>Closes the connections.</summary>
    public ValueTask DisposeAsync() => _connections.DisposeAsync();

    // The request as far as the person may make it, with its formulas; or why it is refused.
    private (ReadRequest? Allowed, RequestFormulas? Formulas, ReadResult? Refusal) Allow(DatasetCatalogue catalogue, ReadRequest request, Grants grants)
    {
        var computed = request.Computed.Select(column => column.Name).ToHashSet();
        if (Refusal(catalogue, request.Dataset, grants, [.. request.Filter.Fields, .. request.Sort.Select(sort => sort.Field).Where(field => !computed.Contains(field))]) is { } reason)
        {
            return (null, null, new ReadResult.Denied(reason));
        }

        var dataset = catalogue.Find(request.Dataset)!;
        var readable = grants.For(dataset.Id).Readable;
        var shapes = new DatasetShapes(catalogue, grants);
        var fields = new ComputedFields(dataset, shapes, readable.Has);
        if (request.Filter.Fields.Concat(request.Sort.Select(sort => sort.Field)).FirstOrDefault(name => !computed.Contains(name) && !fields.CanBeHad(name)) is { Value: not null } lost)
        {
            return (null, null, new ReadResult.Denied($"“{dataset[lost].Label}” cannot be computed for you, so nothing can be narrowed, ordered or counted by it."));
        }

        var expanded = fields.Expand(request with { Fields = [.. request.Fields.Where(field => dataset.Find(field) is not null && readable.Has(field)).Distinct()], Titles = [.. request.Titles.Distinct()] });
        expanded = expanded with { Filter = RequestFormulas.TakenApart(expanded.Filter) };
        var (formulas, problem) = RequestFormulas.Check(shapes, Context(request.Now), dataset, expanded.Computed, expanded.Filter);
        return problem is not null ? (null, null, new ReadResult.Invalid(problem)) : (expanded, formulas, null);
    }

    // Databases keep instants to the microsecond; so does the request's moment.
    private FormulaContext Context(DateTimeOffset? now)
    {
        var moment = (now ?? (clock ?? TimeProvider.System).GetUtcNow()).ToUniversalTime();
        return new FormulaContext(moment.AddTicks(-(moment.Ticks % TimeSpan.TicksPerMicrosecond)), format.Zone);
    }

    private async Task<SaveResult> WriteAsync(DatasetCatalogue catalogue, ChangeSet changes, Grants grants, Func<Change, Verbs> needed, CancellationToken cancellation)
    {
        if (catalogue.Find(changes.Dataset) is not { } dataset)
        {
            return new SaveResult.Denied("There is no such dataset.");
        }

        var grant = grants.For(dataset.Id);
        foreach (var change in changes.Changes)
        {
            if (Denial(dataset, grant, change, needed(change), needed == NeededToUndo) is { } reason)
            {
                return new SaveResult.Denied(reason);
            }

            if (ChangeChecks.Problems(dataset, change) is { IsEmpty: false } problems)
            {
                return new SaveResult.Invalid(problems);
            }
        }

        return await AtSourceAsync<SaveResult>(
            dataset,
            (connection, token) => new PostgresWrites(catalogue, grants, format, Context(null), needed).SaveAsync(connection, dataset, changes, token),
            failure => new SaveResult.Failed(failure),
            cancellation);
    }

    private static Verbs NeededFor(Change change) => change switch
    {
        Change.Insert => Verbs.Create,
        Change.Update => Verbs.Update,
        Change.Delete => Verbs.Delete,
        _ => Verbs.All,
    };

    private static Verbs NeededToUndo(Change inverse) => inverse switch
    {
        Change.Delete => Verbs.Create,
        Change.Restore => Verbs.Delete,
        Change.Update => Verbs.Update,
        _ => Verbs.All,
    };

    private static string? Denial(Dataset dataset, Grant grant, Change change, Verbs verb, bool isUndo)
    {
        if (dataset.ReadOnlyBecause is { } reason)
        {
            return reason;
        }

        if (!grant.Allows(verb))
        {
            return $"You may not {VerbWord(verb)} {dataset.LabelInSentence}.";
        }

        // The values that an edit began with would otherwise tell whether a guess at a hidden one is right.
        var seen = change switch { Change.Update update => update.Original, Change.Delete delete => delete.Original, _ => FieldValues.None };
        if (!isUndo && seen.Fields.Any(field => !grant.Readable.Has(field)))
        {
            return "The edit names a field that is not there for you.";
        }

        var written = change switch { Change.Insert insert => insert.Values, Change.Update update => update.Values, _ => FieldValues.None };
        var forbidden = written.Fields.FirstOrDefault(field => !grant.Writable.Has(field));
        return forbidden.Value is null ? null : $"You may not change {dataset.LabelOf(forbidden).ToLowerInvariant()}.";
    }

    private static string VerbWord(Verbs verb) => verb switch
    {
        Verbs.Create => "add",
        Verbs.Update => "change",
        Verbs.Delete => "delete",
        Verbs.View => "see",
        _ => "do this with",
    };

    private static string? Refusal(DatasetCatalogue catalogue, DatasetId id, Grants grants, IEnumerable<FieldName> fields)
    {
        if (catalogue.Find(id) is not { } dataset)
        {
            return "There is no such dataset.";
        }

        var grant = grants.For(id);
        return !grant.Allows(Verbs.View) ? $"You may not see {dataset.LabelInSentence}."
            : fields.Any(field => dataset.Find(field) is null || !grant.Readable.Has(field)) ? "The list cannot be narrowed or ordered by a field that is not there for you."
            : null;
    }

    private async Task<T> AtSourceAsync<T>(Dataset dataset, Func<NpgsqlConnection, CancellationToken, Task<T>> work, Func<SourceFailure, T> failed, CancellationToken cancellation)
    {
        if (await sources.FindAsync(dataset.Source, cancellation) is not { } settings)
        {
            return failed(new SourceFailure(FailureReason.Other, $"The source of {dataset.LabelInSentence} was removed."));
        }

        try
        {
            await using var connection = await _connections.For(dataset.Source, settings).OpenConnectionAsync(cancellation);
            return await work(connection, cancellation);
        }
        catch (Exception exception) when (PostgresFailures.IsExpected(exception))
        {
            return failed(PostgresFailures.Of(exception, settings));
        }
    }
}
