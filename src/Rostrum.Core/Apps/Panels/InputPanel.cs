using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Something that a person sets, for other panels to use.</summary>
public sealed record InputPanel : Panel, IPanelKind
{
    private static readonly FormulaType Word = new FormulaType.Text();
    private static readonly string[] Held = ["value", "from", "to"];

    /// <summary>What a person enters.</summary>
    public EntryType Type { get; init; }

    /// <summary>The records to choose from, where it is a choice among records.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>Which of them.</summary>
    public string? Filter { get; init; }

    /// <summary>What else there is to choose from: one a line.</summary>
    public string? Options { get; init; }

    /// <summary>Its initial value: a value, or a formula after <c>=</c>.</summary>
    public string? Initial { get; init; }

    /// <summary>Whether it can be set: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <summary>The words to choose from.</summary>
    public ImmutableArray<string> Choices =>
        [.. (Options ?? "").Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Distinct()];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Type is EntryType.Choice && Dataset is null && Choices.IsEmpty ? [Lacks("options", "It has no choices.")] : [];

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        var values = address
            .Names.Where(name => name is "value" or "from" or "to")
            .ToImmutableSortedDictionary(name => name, name => address[name], StringComparer.Ordinal);
        return values.IsEmpty ? null : new InputState(values, HasDefault: Initial is not null);
    }

    /// <inheritdoc/>
    public override IEnumerable<GivenMember> Given(PanelState? state)
    {
        string[] members = Type is EntryType.Dates ? ["from", "to"] : ["value"];
        return members.Select(member => new GivenMember.One(
            member,
            (state as InputState)?.Of(member) ?? (Computed.IsFormula(Initial) || member != "value" ? null : Initial)
        ));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> ChangedMembers(PanelState? state, PanelState? other) =>
        Held.Where(member => (state as InputState)?.Of(member) != (other as InputState)?.Of(member));

    /// <summary>The state in which one member holds something else; blank clears it.</summary>
    public InputState With(PanelState? state, string member, string value)
    {
        var values = (state as InputState)?.Values ?? ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);
        return new InputState(value.Length == 0 ? values.Remove(member) : values.SetItem(member, value), HasDefault: Initial is not null);
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Input",
            "A search, a choice or a date that other panels use",
            "input-cursor-text",
            (name, dataset) =>
                new InputPanel
                {
                    Name = name,
                    Width = 3,
                    Dataset = dataset?.Id,
                    Type = dataset is null ? EntryType.Search : EntryType.Choice,
                },
            [
                SettingsOf<InputPanel>.Choice(
                    "type",
                    "Type",
                    SettingPart.Content,
                    [
                        (EntryType.Search, "search"),
                        (EntryType.Choice, "choice"),
                        (EntryType.Number, "number"),
                        (EntryType.Date, "date"),
                        (EntryType.Dates, "date range"),
                        (EntryType.Toggle, "yes or no"),
                    ],
                    panel => panel.Type,
                    (panel, type) => panel with { Type = type }
                ),
                SettingsOf<InputPanel>.Dataset(
                    "Choices from",
                    panel => panel.Dataset,
                    (panel, dataset) => panel with { Dataset = dataset }
                ),
                SettingsOf<InputPanel>.Filter("Filter", panel => panel.Filter, (panel, formula) => panel with { Filter = formula }),
                Of<InputPanel>(
                    "options",
                    "Choices, one per line",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    panel => panel.Options,
                    (panel, text) => panel with { Options = Blank(text) }
                ),
                Of<InputPanel>(
                    "initial",
                    "Initial value",
                    SettingPart.Content,
                    new SettingKind.AnyValue(),
                    panel => panel.Initial,
                    (panel, text) => panel with { Initial = Blank(text) }
                ),
                SettingsOf<InputPanel>.Computed(
                    "enabled",
                    "Enabled",
                    SettingPart.Behaviour,
                    panel => panel.Enabled,
                    (panel, formula) => panel with { Enabled = formula }
                ),
            ]
        );

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        var fromContent = Computed.IsFormula(Initial);
        return Type switch
        {
            EntryType.Choice when Dataset is not null => types.Record(Dataset) is { } record
                ? [new PanelMember("value", record, fromContent)]
                : [],
            EntryType.Number => [new PanelMember("value", new FormulaType.Number(), fromContent)],
            EntryType.Date => [new PanelMember("value", new FormulaType.Date(), fromContent)],
            EntryType.Dates =>
            [
                new PanelMember("from", new FormulaType.Date(), fromContent),
                new PanelMember("to", new FormulaType.Date(), fromContent),
            ],
            EntryType.Toggle => [new PanelMember("value", new FormulaType.Boolean(), fromContent)],
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
        from value in Values
        where value.Value.Length > 0 || HasDefault
        select (value.Key, ImmutableArray.Create(value.Value));
}

/// <summary>What a person enters into an input.</summary>
public enum EntryType
{
    /// <summary>Words to search for.</summary>
    Search,

    /// <summary>One of several.</summary>
    Choice,

    /// <summary>A number.</summary>
    Number,

    /// <summary>A date.</summary>
    Date,

    /// <summary>Two dates, and the days between them.</summary>
    Dates,

    /// <summary>Yes or no.</summary>
    Toggle,
}
