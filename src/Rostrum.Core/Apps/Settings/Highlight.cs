using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Settings;

/// <summary>Makes records stand out. Colour is never the only sign: its label is shown as well.</summary>
/// <param name="When">A condition over each record.</param>
/// <param name="Tone">What the colour means.</param>
/// <param name="Label">What it means, in a word or two: <c>overdue</c>.</param>
/// <param name="Field">The column that stands out; the whole record where null.</param>
public sealed record Highlight(string When, Tone Tone, string Label, FieldName? Field = null)
{
    /// <summary>The tones, and what builders read.</summary>
    public static ImmutableArray<(Tone Tone, string Label)> Tones { get; } =
    [
        (Tone.Danger, "danger"),
        (Tone.Attention, "attention"),
        (Tone.Good, "good"),
        (Tone.Information, "information"),
        (Tone.Faded, "unimportant"),
    ];
}

/// <summary>What a colour means.</summary>
public enum Tone
{
    /// <summary>Something is wrong.</summary>
    Danger,

    /// <summary>Somebody should look.</summary>
    Attention,

    /// <summary>All is as it should be.</summary>
    Good,

    /// <summary>Good to know.</summary>
    Information,

    /// <summary>Of little importance.</summary>
    Faded,
}
