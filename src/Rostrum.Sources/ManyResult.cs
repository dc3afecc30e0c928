using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

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
