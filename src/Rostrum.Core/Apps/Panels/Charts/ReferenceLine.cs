using System.Collections.Immutable;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>A line across a chart.</summary>
/// <param name="Label">What it is called.</param>
/// <param name="Value">Where it stands: a number, or a formula for one after <c>=</c>.</param>
public sealed record ReferenceLine(string Label, string Value)
{
    /// <summary>The lines of a text, one on each of its lines; null where one of them has no value.</summary>
    public static ImmutableArray<ReferenceLine>? Read(string? text)
    {
        ImmutableArray<ReferenceLine> lines =
        [
            .. (text ?? "")
                .Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Select(line =>
                    line.Split(':', 2, StringSplitOptions.TrimEntries) is [var label, var value]
                        ? new ReferenceLine(label, value)
                        : new ReferenceLine("", line)
                ),
        ];
        return lines.All(line => Computed.IsFormula(line.Value) || Computed.Number(line.Value) is not null) ? lines : null;
    }

    /// <summary>Lines as text, as <see cref="Read"/> reads them.</summary>
    public static string Write(IEnumerable<ReferenceLine> lines) =>
        string.Join('\n', lines.Select(line => line.Label.Length == 0 ? line.Value : $"{line.Label}: {line.Value}"));
}
