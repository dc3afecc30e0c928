using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Apps.State;

/// <summary>What the page's address carries of one panel. A kind of panel that has any derives from this, beside the kind.</summary>
public abstract record PanelState
{
    /// <summary>A record is open there, or is to be added.</summary>
    public virtual bool IsOpen => false;

    /// <summary>What stands in the address, by the names after the panel's own: <c>q</c> of <c>defects.q</c>.</summary>
    public abstract IEnumerable<(string Name, ImmutableArray<string> Values)> Parts();

    /// <summary>The same without an open record.</summary>
    /// <param name="keepsSelection">A record stays selected, for other panels to show.</param>
    public virtual PanelState Closed(bool keepsSelection) => this;
}

/// <summary>The parts of an address that concern one panel, by the names after the panel's own.</summary>
public sealed class AddressParts(IEnumerable<KeyValuePair<string, ImmutableArray<string>>> parts)
{
    private readonly Dictionary<string, ImmutableArray<string>> _parts = new(parts, StringComparer.Ordinal);

    /// <summary>The names.</summary>
    public IEnumerable<string> Names => _parts.Keys;

    /// <summary>All that stands under a name.</summary>
    public ImmutableArray<string> All(string name) => _parts.GetValueOrDefault(name, []);

    /// <summary>What stands first under a name; null where nothing does.</summary>
    public string? First(string name) => All(name) is [var first, ..] ? first : null;

    /// <summary>The whole number under a name; null where none stands there.</summary>
    public int? Whole(string name) =>
        int.TryParse(this[name], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    /// <summary>The page under a name, from 1.</summary>
    /// <param name="name">The name.</param>
    /// <param name="most">The last that there can be.</param>
    public int Page(string name, int most) => Whole(name) is { } page ? Math.Clamp(page, 1, most) : 1;

    /// <summary>What stands under a name; blank where nothing does.</summary>
    public string this[string name] =>
        All(name) is [var first, ..] values
            ? values.Length == 1
                ? first
                : string.Join(',', values)
            : "";
}

/// <summary>What the address gives to a member of a panel, for formulas.</summary>
/// <param name="Member">The member.</param>
public abstract record GivenMember(string Member)
{
    /// <summary>One value: a record by its key, or a value in canonical text; blank where null.</summary>
    public sealed record One(string Member, string? Text) : GivenMember(Member);

    /// <summary>Several records, by their keys.</summary>
    public sealed record Several(string Member, ImmutableArray<string> Keys) : GivenMember(Member);
}
