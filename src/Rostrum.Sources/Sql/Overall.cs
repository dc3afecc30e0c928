using System.Collections.Immutable;
using System.Data.Common;

namespace Rostrum.Sources.Sql;

/// <summary>An aggregate over the rows that fit a condition.</summary>
/// <param name="Of">The aggregate: <c>count(*)</c>.</param>
/// <param name="Cast">What follows once it is there: <c>::text</c>.</param>
internal sealed record Aggregate(string Of, string Cast = "");

/// <summary>
/// What a statement asks of all rows of a table that fit a condition, in parts: several such can be answered by one look at a small table.
/// </summary>
/// <param name="Table">The table as it stands after FROM, with no other joined to it.</param>
/// <param name="Conditions">What must all hold.</param>
/// <param name="Aggregates">What is asked.</param>
/// <param name="Values">The values that conditions and aggregates name.</param>
internal sealed record Overall(string Table, ImmutableArray<string> Conditions, ImmutableArray<Aggregate> Aggregates, SqlText Values)
{
    /// <summary>The parts of a statement; null where it needs more than the rows of one table.</summary>
    public static Overall? Of(
        SelectPlan plan,
        IReadOnlyCollection<string> conditions,
        ImmutableArray<Aggregate> aggregates,
        SqlText values
    ) =>
        plan.Joins().Length == 0
        && !conditions.Concat(aggregates.Select(aggregate => aggregate.Of)).Any(text => text.Contains("SELECT ", StringComparison.Ordinal))
            ? new Overall(plan.Table(), [.. conditions], aggregates, values)
            : null;

    /// <summary>Its aggregates, each for its own rows.</summary>
    public string Selected =>
        string.Join(
            ", ",
            Aggregates.Select(aggregate =>
                $"({aggregate.Of} FILTER (WHERE {(Conditions.IsEmpty ? "TRUE" : string.Join(" AND ", Conditions))})){aggregate.Cast}"
            )
        );
}

/// <summary>Several statements over one table as one that looks at its rows once.</summary>
/// <remarks>
/// That pays for a table of so few rows that it is read from end to end anyway. Whether it is one, the statement itself asks first:
/// of a large table it reads nothing, each statement goes by itself as it would have, and for a while it is not tried again.
/// </remarks>
internal sealed class SharedLook : Gathering.Waiting
{
    private const int FewRows = 10_000;
    private static readonly TimeSpan TriedAgainAfter = TimeSpan.FromMinutes(10);

    private readonly ImmutableArray<Gathering.Waiting> _askers;
    private bool _isSmall;

    private SharedLook(SqlPool pool, string table, ImmutableArray<Gathering.Waiting> askers)
        : base(pool, Together(table, askers), askers[0].Cancellation) => _askers = askers;

    /// <summary>
    /// The same statements, with a look in the place of those that can share one. One that was slow before is not tried: they are quicker
    /// side by side.
    /// </summary>
    public static IEnumerable<Gathering.Waiting> Of(IReadOnlyCollection<Gathering.Waiting> statements)
    {
        var looks = statements
            .Where(CanShare)
            .GroupBy(Place)
            .Where(group => group.Skip(1).Any())
            .Select(group => new SharedLook(group.Key.Pool, group.Key.Table, [.. group]))
            .Where(look => !Gathering.IsSlow(look))
            .ToArray();
        var askers = looks.SelectMany(look => look._askers).ToHashSet();
        return [.. looks, .. statements.Where(statement => !askers.Contains(statement))];
    }

    public override async Task ReadAsync(DbDataReader reader)
    {
        await reader.ReadAsync(Cancellation);
        _isSmall = reader.GetBoolean(0);
        var at = 1;
        foreach (var asker in _isSmall ? _askers : [])
        {
            asker.ReadShared(reader, at);
            at += asker.Overall!.Aggregates.Length;
        }
    }

    public override void Give()
    {
        if (_isSmall)
        {
            foreach (var asker in _askers)
            {
                asker.Give();
            }

            return;
        }

        Pool.Experience.LargeTables.Keep(_askers[0].Overall!.Table, Environment.TickCount64);
        _ = AloneAsync();
    }

    public override void Fail(Exception exception)
    {
        foreach (var asker in _askers)
        {
            asker.Fail(exception);
        }
    }

    public override Task AloneAsync() => Task.WhenAll(_askers.Select(asker => asker.AloneAsync()));

    public override void ReadShared(DbDataReader reader, int at) => throw new NotSupportedException("it is no part of another");

    private static (SqlPool Pool, string Table) Place(Gathering.Waiting statement) => (statement.Pool, statement.Overall!.Table);

    private static bool CanShare(Gathering.Waiting statement) =>
        statement.Overall is not null
        && statement.Pool.Engine.KnowsSizes
        && !(
            statement.Pool.Experience.LargeTables.TryGet(statement.Overall.Table, out var seen)
            && Environment.TickCount64 - seen < TriedAgainAfter.TotalMilliseconds
        );

    // A condition that names no column is decided before the table is read.
    private static SqlText Together(string table, ImmutableArray<Gathering.Waiting> askers)
    {
        var sql = new SqlText(askers[0].Pool.Engine) { Table = askers[0].Table };
        var name = table[..table.LastIndexOf(' ')];
        var small = sql.Engine.IsSmall(sql, name, FewRows);
        sql.Add($"SELECT {small}");
        foreach (var asker in askers)
        {
            sql.Add(", ").Add(asker.Overall!.Values, asker.Overall.Selected);
        }

        return sql.Add($" FROM {table} WHERE {small}");
    }
}
