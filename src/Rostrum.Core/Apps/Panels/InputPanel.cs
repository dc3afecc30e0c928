using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Something that a person sets, for other panels to heed.</summary>
public sealed record InputPanel : Panel, IPanelKind
{
    private static readonly FormulaType Word = new FormulaType.Text();
    private static readonly string[] Held = ["value", "from", "to"];

    /// <summary>What is set: words to search for, a choice, a number, a date, two dates, or yes and no.</summary>
    public string Takes { get; init; } = "search";

    /// <summary>The records to choose from, where it is a choice among records.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Which of them.</summary>
    public string? Filter { get; init; }

    /// <summary>What else there is to choose from: one a line.</summary>
    public string? Options { get; init; }

    /// <summary>What it is set to at first: a value, or a formula after <c>=</c>.</summary>
    public string? Usual { get; init; }

    /// <summary>Whether it can be set: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <summary>The words to choose from.</summary>
    public ImmutableArray<string> Words =>
        [.. (Options ?? "").Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Distinct()];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Takes == "choice" && Dataset is null && Words.IsEmpty ? [Lacks("options", "There is nothing to choose from.")] : [];

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var values =
            address.Names
                .Where(name => name is "value" or "from" or "to")
                .ToImmutableSortedDictionary(name => name, name => address[name], StringComparer.Ordinal);
        return values.IsEmpty ? null : new InputState(values, HasDefault: Usual is not null);
    }

    /// <inheritdoc/>
    public override IEnumerable<GivenMember> Given(PanelState? state)
    {
        string[] members = Takes == "dates" ? ["from", "to"] : ["value"];
        return members.Select(member => new GivenMember.One(
            member,
            (state as InputState)?.Of(member) ?? (Computed.IsFormula(Usual) || member != "value" ? null : Usual)));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> ChangedMembers(PanelState? state, PanelState? other) =>
        Held.Where(member => (state as InputState)?.Of(member) != (other as InputState)?.Of(member));

    /// <summary>The state in which one member holds something else; blank clears it.</summary>
    public InputState With(PanelState? state, string member, string value)
    {
        var values = (state as InputState)?.Values ?? ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);
        return new InputState(value.Length == 0 ? values.Remove(member) : values.SetItem(member, value), HasDefault: Usual is not null);
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Input", "A search, a choice, a date: something for other panels to heed", "input-cursor-text",
        (name, dataset) => new InputPanel { Name = name, Width = 3, Dataset = dataset?.Id, Takes = dataset is null ? "search" : "choice" },
        [
            Of<InputPanel>(
                "takes",
                "It takes",
                SettingPart.Content,
                new SettingKind.OneOf([
                    ("search", "words to search for"),
                    ("choice", "one of several"),
                    ("number", "a number"),
                    ("date", "a date"),
                    ("dates", "from one date to another"),
                    ("toggle", "yes or no"),
                ]),
                panel => panel.Takes,
                (panel, text) => panel with { Takes = text }),
            Of<InputPanel>(
                "dataset",
                "Chosen among the records of",
                SettingPart.Content,
                new SettingKind.SomeDataset(),
                panel => panel.Dataset?.ToString(),
                (panel, text) => panel with { Dataset = Guid.TryParse(text, out var id) ? new DatasetId(id) : null }),
            Of<InputPanel>(
                "filter",
                "Which of them",
                SettingPart.Content,
                new SettingKind.Condition(),
                panel => panel.Filter,
                (panel, text) => panel with { Filter = Blank(text) }),
            Of<InputPanel>(
                "options",
                "Or among these, one a line",
                SettingPart.Content,
                new SettingKind.Line(),
                panel => panel.Options,
                (panel, text) => panel with { Options = Blank(text) }),
            Of<InputPanel>(
                "usual",
                "At first",
                SettingPart.Content,
                new SettingKind.AnyValue(),
                panel => panel.Usual,
                (panel, text) => panel with { Usual = Blank(text) }),
            Of<InputPanel>(
                "enabled",
                "Can be set",
                SettingPart.Behaviour,
                new SettingKind.ComputedToggle(),
                panel => panel.Enabled,
                (panel, text) => panel with { Enabled = text is "yes" ? null : Blank(text) }),
        ]);

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        var fromContent = Computed.IsFormula(Usual);
        return Takes switch
        {
            "choice" when Dataset is not null => types.Record(Dataset) is { } record ? [new PanelMember("value", record, fromContent)] : [],
            "number" => [new PanelMember("value", new FormulaType.Number(), fromContent)],
            "date" => [new PanelMember("value", new FormulaType.Date(), fromContent)],
            "dates" =>
                [new PanelMember("from", new FormulaType.Date(), fromContent), new PanelMember("to", new FormulaType.Date(), fromContent)],
            "toggle" => [new PanelMember("value", new FormulaType.Boolean(), fromContent)],
            _ => [new PanelMember("value", Word, fromContent)],
        };
    }
}

/// <summary>What an input holds, by its members, in canonical text.</summary>
/// <param name="Values">The texts.</param>
/// <param name="HasDefault">It holds something from the start, so that a blank is said too.</param>
public sealed record InputState(ImmutableSortedDictionary<string, string> Values, bool HasDefault) : PanelState
{
    /// <summary>What a member holds; null where the address does not say.</summary>
    public string? Of(string member) => Values.GetValueOrDefault(member);

    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts() =>
        from value in Values where value.Value.Length > 0 || HasDefault select (value.Key, ImmutableArray.Create(value.Value));
}
