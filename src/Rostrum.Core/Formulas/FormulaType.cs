using System.Collections.Immutable;
using System.Text.Json;

namespace Rostrum.Core.Formulas;

/// <summary>What a formula's values are. Blank belongs to every type; the case Blank is the type of what is nothing else.</summary>
public abstract record FormulaType
{
    private FormulaType() { }

    /// <summary>Only ever blank.</summary>
    public sealed record Blank : FormulaType;

    /// <summary>Text, carried as <see cref="string"/>.</summary>
    public sealed record Text : FormulaType;

    /// <summary>A decimal of up to 28 digits, carried as <see cref="decimal"/>.</summary>
    public sealed record Number : FormulaType;

    /// <summary>True or false, carried as <see cref="bool"/>.</summary>
    public sealed record Boolean : FormulaType;

    /// <summary>A day, carried as <see cref="DateOnly"/>.</summary>
    public sealed record Date : FormulaType;

    /// <summary>A time of day, carried as <see cref="TimeOnly"/>.</summary>
    public sealed record Time : FormulaType;

    /// <summary>An instant, carried as <see cref="DateTimeOffset"/>.</summary>
    public sealed record DateTime : FormulaType;

    /// <summary>One of a field's options, carried as <see cref="string"/>. Wherever a text is wanted it serves as one.</summary>
    public sealed record Choice(ImmutableArray<string> Options) : FormulaType
    {
        /// <summary>What people read for each option, in the same order.</summary>
        public ImmutableArray<string> Labels { get; init; } = Options;

        /// <summary>No value is ever another, so that asking for another is a slip.</summary>
        public bool IsClosed { get; init; }
    }

    /// <summary>A record, carried as <see cref="FormulaRecord"/>.</summary>
    public sealed record Record(FormulaShape Shape) : FormulaType;

    /// <summary>Several values of one type, carried as a list of objects.</summary>
    public sealed record List(FormulaType Element) : FormulaType;

    /// <summary>A JSON value, carried as <see cref="JsonElement"/>.</summary>
    public sealed record Json : FormulaType;

    /// <summary>How people read the type.</summary>
    public string Word =>
        this switch
        {
            Blank => "blank",
            Text => "text",
            Number => "number",
            Boolean => "true or false",
            Date => "date",
            Time => "time",
            DateTime => "date and time",
            Choice => "choice",
            Record record => record.Shape.Name,
            List list => $"list of {list.Element.Word}",
            Json => "JSON",
            _ => throw new InvalidOperationException("unknown type"),
        };

    /// <summary>The .NET type that carries a value, with room for a blank.</summary>
    public Type Carrier =>
        this switch
        {
            Text or Choice => typeof(string),
            Number => typeof(decimal?),
            Boolean => typeof(bool?),
            Date => typeof(DateOnly?),
            Time => typeof(TimeOnly?),
            DateTime => typeof(DateTimeOffset?),
            Record => typeof(FormulaRecord),
            List => typeof(IReadOnlyList<object?>),
            Json => typeof(JsonElement?),
            Blank => typeof(object),
            _ => throw new InvalidOperationException("unknown type"),
        };

    /// <summary>Whether a value of this type can stand where another is wanted.</summary>
    public bool Serves(FormulaType wanted) =>
        (this, wanted) switch
        {
            (Blank, _) => true,
            (Choice, Text) or (Choice, Choice) => true,
            (List one, List other) => one.Element.Serves(other.Element),
            (Record one, Record other) => ReferenceEquals(one.Shape, other.Shape),
            _ => GetType() == wanted.GetType(),
        };

    /// <summary>The type of a value that is one or the other; null where the two have nothing in common.</summary>
    public static FormulaType? Common(FormulaType one, FormulaType other) =>
        (one, other) switch
        {
            (Choice, Choice or Text) or (Text, Choice) => new Text(),
            _ when one.Serves(other) => other,
            _ when other.Serves(one) => one,
            _ => null,
        };
}

/// <summary>The names that a record has for formulas, and their types. Names are matched without regard to case.</summary>
public sealed class FormulaShape
{
    private readonly Lazy<(ImmutableArray<KeyValuePair<string, FormulaType>> Members, Dictionary<string, int> Ordinals)> _members;

    /// <param name="name">What people call such a record.</param>
    /// <param name="members">The names, in the order of a record's values. Of two that differ only in case the first counts.</param>
    public FormulaShape(string name, IEnumerable<KeyValuePair<string, FormulaType>> members)
        : this(name, () => members) { }

    /// <param name="name">What people call such a record.</param>
    /// <param name="members">The same, asked for when first needed: shapes that refer to each other are made so.</param>
    public FormulaShape(string name, Func<IEnumerable<KeyValuePair<string, FormulaType>>> members)
    {
        Name = name;
        _members = new(() =>
        {
            ImmutableArray<KeyValuePair<string, FormulaType>> all = [.. members()];
            var ordinals = new Dictionary<string, int>(StringComparer.OrdinalIgnoreCase);
            for (var i = 0; i < all.Length; i++)
            {
                ordinals.TryAdd(all[i].Key, i);
            }

            return (all, ordinals);
        });
    }

    /// <summary>What people call such a record.</summary>
    public string Name { get; }

    /// <summary>The names and types, in the order of a record's values.</summary>
    public ImmutableArray<KeyValuePair<string, FormulaType>> Members => _members.Value.Members;

    /// <summary>
    /// For a name whose value is computed: its formula over the same shape, or what is wrong with it. Null where the value is a stored one.
    /// </summary>
    public Func<int, ComputedMember?> Computed { get; init; } = _ => null;

    /// <summary>
    /// What names such a record to people: the ways to the values that TITLE joins, each a name or several that follow one another.
    /// </summary>
    public ImmutableArray<ImmutableArray<string>> Title { get; init; } = [];

    /// <summary>Where a name's value stands; -1 where there is no such name.</summary>
    public int IndexOf(string name) => _members.Value.Ordinals.GetValueOrDefault(name, -1);
}

/// <summary>A name's formula: a tree, or the problem that keeps it from having one.</summary>
public sealed record ComputedMember(Typed? Tree, string? Problem);

/// <summary>A record as formulas see it: values in the order of its shape.</summary>
/// <param name="shape">The names.</param>
/// <param name="values">The values, in the order of the names.</param>
/// <param name="identity">What tells the record from others of its shape; two with the same one are equal. Without it a record equals
/// itself only.</param>
public sealed class FormulaRecord(FormulaShape shape, object?[] values, object? identity = null) : IEquatable<FormulaRecord>
{
    /// <summary>What a formula that stands beside no record is evaluated over.</summary>
    public static FormulaRecord None { get; } = new(new FormulaShape("", []), []);

    /// <summary>The names.</summary>
    public FormulaShape Shape { get; } = shape;

    /// <summary>What tells the record from others of its shape; null where nothing does.</summary>
    public object? Identity => identity;

    /// <summary>The value at a place: null, or what the type's carrier says.</summary>
    public object? this[int index] => values[index];

    /// <inheritdoc/>
    public bool Equals(FormulaRecord? other) =>
        ReferenceEquals(this, other)
        || (identity is not null && other is not null && ReferenceEquals(Shape, other.Shape) && identity.Equals(other.Identity));

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as FormulaRecord);

    /// <inheritdoc/>
    public override int GetHashCode() => identity?.GetHashCode() ?? System.Runtime.CompilerServices.RuntimeHelpers.GetHashCode(this);
}

/// <summary>What is the same for every evaluation of one request.</summary>
/// <param name="Now">The moment of the request.</param>
/// <param name="Zone">The workspace's time zone.</param>
public sealed record FormulaContext(DateTimeOffset Now, TimeZoneInfo Zone)
{
    /// <summary>What the names beside the record's stand for; one that is not among them is blank.</summary>
    public IReadOnlyDictionary<string, object?> Given { get; init; } = ImmutableDictionary<string, object?>.Empty;

    /// <summary>How much may be computed.</summary>
    public FormulaBudget Budget { get; init; } = new();

    /// <summary>The workspace's day at that moment.</summary>
    public DateOnly Today => DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(Now, Zone).DateTime);
}
