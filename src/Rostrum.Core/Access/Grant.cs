using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Access;

/// <summary>What one person may do with one dataset's records.</summary>
/// <param name="Verbs">The verbs.</param>
/// <param name="Condition">The records that may be seen, and to which every other verb applies that has no condition of its own.</param>
/// <param name="Readable">The fields that may be read, of some records at least.</param>
/// <param name="Writable">The fields that may be written, in some records at least.</param>
public sealed record Grant(Verbs Verbs, Filter Condition, FieldSet Readable, FieldSet Writable)
{
    /// <summary>The records to which a verb applies, where they are not those that may be seen.</summary>
    public ImmutableDictionary<Verbs, Filter> Conditions { get; init; } = ImmutableDictionary<Verbs, Filter>.Empty;

    /// <summary>The fields that may be written in a new record.</summary>
    public FieldSet WritableInNew
    {
        get => field ?? Writable;
        init;
    }

    /// <summary>The fields that may be seen of some records, written in some, or written in some new ones, and not in others.</summary>
    public ImmutableDictionary<Verbs, FieldsByRecord> ByRecord { get; init; } = ImmutableDictionary<Verbs, FieldsByRecord>.Empty;

    /// <summary>The records to which one verb applies.</summary>
    public Filter For(Verbs verb) => Conditions.GetValueOrDefault(verb, Condition);

    /// <summary>The records of which a field that may be read is to be read; null where it is of all.</summary>
    public Filter? WhereReadable(FieldName field) => ByRecord.GetValueOrDefault(Verbs.View)?.For(field);

    /// <summary>Whether a field may be read of every record that may be seen.</summary>
    public bool IsReadableInAll(FieldName field) => Readable.Has(field) && WhereReadable(field) is null;

    /// <summary>The grant as it is for one record.</summary>
    /// <param name="holds">Says whether a condition holds for it.</param>
    public Grant Of(Func<Filter, bool> holds)
    {
        FieldSet Fields(Verbs verb, FieldSet otherwise) => ByRecord.GetValueOrDefault(verb)?.Of(holds) ?? otherwise;
        return ByRecord.IsEmpty
            ? this
            : this with
            {
                Readable = Fields(Verbs.View, Readable),
                Writable = Fields(Verbs.Update, Writable),
                WritableInNew = Fields(Verbs.Create, WritableInNew),
                ByRecord = ImmutableDictionary<Verbs, FieldsByRecord>.Empty,
            };
    }

    /// <summary>The same with its conditions in another form.</summary>
    internal Grant With(Func<Filter, Filter> conditions) =>
        this with
        {
            Condition = conditions(Condition),
            Conditions = Conditions.ToImmutableDictionary(pair => pair.Key, pair => conditions(pair.Value)),
            ByRecord = ByRecord.ToImmutableDictionary(
                pair => pair.Key,
                pair => new FieldsByRecord([.. pair.Value.Parts.Select(part => part with { Condition = conditions(part.Condition) })])
            ),
        };

    /// <summary>Nothing: what holds where no policy says otherwise.</summary>
    public static Grant Nothing { get; } = new(Verbs.None, new Filter.Nothing(), FieldSet.None, FieldSet.None);

    /// <summary>Everything on every record.</summary>
    public static Grant Everything { get; } = new(Verbs.All, new Filter.Everything(), new FieldSet.All(), new FieldSet.All());

    /// <summary>Everything that leaves the records as they are: what a builder may, who looks at a source.</summary>
    public static Grant ViewOnly { get; } = Everything with { Verbs = Verbs.View };

    /// <summary>What both allow.</summary>
    public Grant And(Grant other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return new Grant(
            Verbs & other.Verbs,
            Filter.Both(Condition, other.Condition),
            Readable.And(other.Readable),
            Writable.And(other.Writable)
        )
        {
            WritableInNew = WritableInNew.And(other.WritableInNew),
            Conditions = Rights.EachVerb.Skip(1).ToImmutableDictionary(verb => verb, verb => Filter.Both(For(verb), other.For(verb))),
            ByRecord =
                ByRecord.IsEmpty && other.ByRecord.IsEmpty
                    ? ByRecord
                    : (
                        from verb in new[] { Verbs.View, Verbs.Update, Verbs.Create }
                        let both = FieldsByRecord.And(
                            ByRecord.GetValueOrDefault(verb),
                            Fields(verb),
                            other.ByRecord.GetValueOrDefault(verb),
                            other.Fields(verb)
                        )
                        where both is not null
                        select KeyValuePair.Create(verb, both)
                    ).ToImmutableDictionary(),
        };
    }

    private FieldSet Fields(Verbs verb) =>
        verb switch
        {
            Verbs.View => Readable,
            Verbs.Update => Writable,
            _ => WritableInNew,
        };

    /// <summary>Whether the verb is allowed on some records at least.</summary>
    public bool Allows(Verbs verb) => Verbs.HasFlag(verb);

    /// <summary>
    /// Whether it allows for certain whatever another allows: all of the records wherever that one allows some, and all fields.
    /// </summary>
    public bool Covers(Grant other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return other.Verbs is Verbs.None
            || (
                Rights.EachVerb.Where(verb => other.Allows(verb)).All(verb => Allows(verb) && For(verb) is Filter.Everything)
                && ByRecord.IsEmpty
                && Readable is FieldSet.All
                && (Writable is FieldSet.All || (other.Verbs & (Verbs.Create | Verbs.Update)) is Verbs.None)
            );
    }
}
