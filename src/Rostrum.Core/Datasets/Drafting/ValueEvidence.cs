using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>
/// What a sample of a column's values says of it. It is read anew with the structure, and is no part of what drift compares.
/// </summary>
public sealed record ValueEvidence
{
    /// <summary>What all of its texts are; null where they are of no kind, or there is none.</summary>
    public TextShape? Shape { get; init; }

    /// <summary>Its different texts, where they are few and come again and again; empty otherwise.</summary>
    public ImmutableArray<string> Few { get; init; } = [];

    /// <summary>Its texts are all no longer than a name.</summary>
    public bool IsShort { get; init; }

    /// <summary>Its numbers all lie between 0 and 1.</summary>
    public bool IsShare { get; init; }
}

/// <summary>What a text is.</summary>
public enum TextShape
{
    /// <summary>An address that one writes to.</summary>
    EmailAddress,

    /// <summary>An address that starts with http: or https:.</summary>
    WebAddress,

    /// <summary>Such an address that ends as pictures' do.</summary>
    PictureAddress,

    /// <summary>Digits, with what stands between those of a telephone number.</summary>
    PhoneNumber,

    /// <summary>A colour, as CSS writes it: <c>#1B5E50</c>.</summary>
    Colour,
}
