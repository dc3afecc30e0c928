using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Who changed what, and when: of one record, or of all of a dataset that whoever looks sees.</summary>
public sealed record LogbookPanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Which record: a formula over the page; null for all.</summary>
    public string? Record { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address) => Record is null ? LogbookState.Read(address) : null;

    /// <inheritdoc/>
    public override bool LooksTheSame(PanelState? state, PanelState? other) => Equals(state, other);

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Logbook",
            "Who changed what, and when; changes are undone there",
            "journal-text",
            (name, dataset) => new LogbookPanel { Name = name, Dataset = dataset!.Id },
            [
                SettingsOf<LogbookPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<LogbookPanel>.Record("Record", panel => panel.Record, (panel, formula) => panel with { Record = formula }) with
                {
                    Help = "Blank: the changes of all records.",
                },
            ]
        )
        {
            NeedsDataset = true,
        };
}

/// <summary>Which changes the page's address asks for.</summary>
/// <param name="Asked">What is asked of each: who, which record and the like; what is blank is not there.</param>
public sealed record LogbookState(ImmutableSortedDictionary<string, string> Asked) : PanelState
{
    /// <summary>What can be asked for, by the names that stand in an address.</summary>
    public static ImmutableArray<string> Names { get; } = ["by", "title", "kind", "field", "from", "to"];

    /// <summary>Reads the parts of an address; null where they say nothing.</summary>
    public static LogbookState? Read(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var asked = Names
            .Where(name => !string.IsNullOrWhiteSpace(address[name]))
            .ToImmutableSortedDictionary(name => name, name => address[name]);
        return asked.IsEmpty ? null : new LogbookState(asked);
    }

    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts() =>
        Asked.Select(pair => (pair.Key, ImmutableArray.Create(pair.Value)));

    /// <inheritdoc/>
    public bool Equals(LogbookState? other) => other is not null && Asked.SequenceEqual(other.Asked);

    /// <inheritdoc/>
    public override int GetHashCode() => Asked.Count;
}
