using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Settings;

/// <summary>What makes records stand out. Colour is never the only sign: the words stand there as well.</summary>
/// <param name="When">A condition over each record.</param>
/// <param name="Tone">One of <see cref="Words"/>.</param>
/// <param name="Says">What it means, in a word or two: <c>overdue</c>.</param>
/// <param name="Field">The column that stands out; the whole record where null.</param>
public sealed record RecordTone(string When, string Tone, string Says, FieldName? Field = null)
{
    /// <summary>What the tone means.</summary>
    public string Label => Words.FirstOrDefault(word => word.Value == Tone).Label ?? Tone;

    /// <summary>The tones, each with one meaning.</summary>
    public static ImmutableArray<(string Value, string Label)> Words { get; } =
    [
        ("danger", "danger"),
        ("attention", "attention"),
        ("good", "as it should be"),
        ("information", "information"),
        ("faded", "of little matter"),
    ];
}
