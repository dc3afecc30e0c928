using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>How far a count can be trusted.</summary>
public enum CountKind
{
    /// <summary>Counted.</summary>
    Exact,

    /// <summary>Estimated by the source.</summary>
    About,

    /// <summary>Counted up to here, and there are more.</summary>
    MoreThan,
}

/// <summary>How many records a request concerns.</summary>
public sealed record RecordCount(long Number, CountKind Kind);

/// <summary>What came of a <see cref="ReadRequest"/>.</summary>
public abstract record ReadResult
{
    private ReadResult() { }

    /// <summary>Records in their order.</summary>
    /// <param name="Records">The records.</param>
    /// <param name="Count">How many there are in all, where that was asked.</param>
    /// <param name="HasEarlier">There are records before these.</param>
    /// <param name="HasLater">There are records after these.</param>
    /// <param name="First">The first record's place in the order, null where it has none.</param>
    /// <param name="Last">The last record's place.</param>
    public sealed record Rows(ImmutableArray<Record> Records, RecordCount? Count, bool HasEarlier, bool HasLater, PageCursor? First, PageCursor? Last) : ReadResult
    {
        /// <summary>Who computed each formula of the request.</summary>
        public ImmutableArray<ComputedPart> Explanation { get; init; } = [];
    }

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : ReadResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : ReadResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : ReadResult;
}

/// <summary>How a request is carried out.</summary>
public abstract record ExplainResult
{
    private ExplainResult() { }

    /// <summary>The way of it.</summary>
    /// <param name="Statement">What the server is asked; values stand beside it and are not in it.</param>
    /// <param name="ServerPlan">What the server does with it, in the server's words.</param>
    /// <param name="Explanation">Who computes each formula.</param>
    public sealed record Plan(string Statement, string ServerPlan, ImmutableArray<ComputedPart> Explanation) : ExplainResult;

    /// <summary>The request is wrong, the person may not, or the source could not.</summary>
    public sealed record Not(string Reason) : ExplainResult;
}

/// <summary>What a formula is used for in a request.</summary>
public enum FormulaUse
{
    /// <summary>Its value is shown.</summary>
    Show,

    /// <summary>It says which records there are.</summary>
    Narrow,

    /// <summary>Records stand in its order.</summary>
    Sort,

    /// <summary>Its text is searched.</summary>
    Search,

    /// <summary>Records are counted by its values.</summary>
    Group,
}

/// <summary>Who computed a formula of a request, or a part of one.</summary>
/// <param name="Formula">The formula.</param>
/// <param name="Use">What for.</param>
/// <param name="InMemory">Why memory did and not the database; null where the database did.</param>
public sealed record ComputedPart(string Formula, FormulaUse Use, string? InMemory);

/// <summary>The different values of a field or a computed column, each with how many records have it, the most frequent first.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Field">The field.</param>
/// <param name="Filter">Which records are counted.</param>
/// <param name="Search">Words that they contain.</param>
/// <param name="Limit">The most values that are given.</param>
public sealed record GroupRequest(DatasetId Dataset, FieldName Field, Filter Filter, string Search, int Limit)
{
    /// <summary>What computed columns give; the field may be one of them.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The names that its formulas have beside their record's.</summary>
    public RequestNames? Names { get; init; }
}

/// <summary>What is told of the values of a field, all together.</summary>
public enum Total
{
    /// <summary>Their sum.</summary>
    Sum,

    /// <summary>Their mean.</summary>
    Average,

    /// <summary>The least of them.</summary>
    Least,

    /// <summary>The greatest of them.</summary>
    Most,
}

/// <summary>A total over a field's values; blanks do not count.</summary>
/// <param name="Field">A field with numbers.</param>
/// <param name="Total">What is told.</param>
public readonly record struct FieldTotal(FieldName Field, Total Total);

/// <summary>Totals over the same records.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Totals">What is told.</param>
/// <param name="Filter">Over which records.</param>
/// <param name="Search">Words that they contain.</param>
public sealed record TotalRequest(DatasetId Dataset, ImmutableArray<FieldTotal> Totals, Filter Filter, string Search = "")
{
    /// <summary>The names that its formulas have beside their record's.</summary>
    public RequestNames? Names { get; init; }

    /// <summary>Values that formulas give, over which there can be totals as well.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The moment that formulas take for now; the gate's own where null.</summary>
    public DateTimeOffset? Now { get; init; }
}

/// <summary>What came of a <see cref="TotalRequest"/>.</summary>
public abstract record TotalResult
{
    private TotalResult() { }

    /// <summary>The totals, in the order asked for; null where there are no values.</summary>
    public sealed record Values(ImmutableArray<decimal?> Numbers) : TotalResult;

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : TotalResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : TotalResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : TotalResult;
}

/// <summary>One value and its frequency. The title is the related record's, where the field carries a relation.</summary>
public sealed record ValueCount(object? Value, string? Title, long Count);

/// <summary>What came of a <see cref="GroupRequest"/>.</summary>
public abstract record GroupResult
{
    private GroupResult() { }

    /// <summary>The values.</summary>
    public sealed record Groups(ImmutableArray<ValueCount> Values) : GroupResult;

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : GroupResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : GroupResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : GroupResult;
}

/// <summary>One change that was saved.</summary>
/// <param name="Applied">The change.</param>
/// <param name="Key">The record, as it is named now; null where it is gone.</param>
/// <param name="Title">What names it to people.</param>
/// <param name="Inverse">The change that takes it back; null where nothing can.</param>
public sealed record SavedChange(Change Applied, RecordKey? Key, string Title, Change? Inverse);

/// <summary>What came of a <see cref="ChangeSet"/>. Only with <c>Saved</c> was anything written.</summary>
public abstract record SaveResult
{
    private SaveResult() { }

    /// <summary>All of it is written.</summary>
    public sealed record Saved(ImmutableArray<SavedChange> Changes) : SaveResult;

    /// <summary>A record is no longer what it was when the edit began.</summary>
    /// <param name="Change">The change that met it.</param>
    /// <param name="Current">The record as it is now; null where it was deleted.</param>
    public sealed record Conflict(Change Change, Record? Current) : SaveResult;

    /// <summary>Values that cannot be.</summary>
    public sealed record Invalid(ImmutableArray<FieldProblem> Problems) : SaveResult;

    /// <summary>Rules warn of it. Saved with these messages among those seen, it is written.</summary>
    public sealed record Warned(ImmutableArray<FieldProblem> Problems) : SaveResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : SaveResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : SaveResult;
}

/// <summary>How changes of many records are made.</summary>
public enum ManyChanges
{
    /// <summary>They are tried out, and nothing is written.</summary>
    Tried,

    /// <summary>All of them are made, or none is.</summary>
    AllOrNone,

    /// <summary>Those that can be are made.</summary>
    ThosePossible,
}

/// <summary>What came of one of many changes.</summary>
/// <param name="Change">The change.</param>
/// <param name="Saved">The change as it was, or would be, saved; null where it cannot be.</param>
/// <param name="Because">Why it cannot be.</param>
/// <param name="Warnings">What rules warn of.</param>
public sealed record OneOfMany(Change Change, SavedChange? Saved, string? Because, ImmutableArray<string> Warnings);

/// <summary>What came of changes of many records.</summary>
public abstract record ManyResult
{
    private ManyResult() { }

    /// <summary>What came of each.</summary>
    /// <param name="Each">In the order asked for.</param>
    /// <param name="Written">Those that could be are written.</param>
    public sealed record Done(ImmutableArray<OneOfMany> Each, bool Written) : ManyResult;

    /// <summary>The person may do none of it.</summary>
    public sealed record Denied(string Reason) : ManyResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : ManyResult;
}
