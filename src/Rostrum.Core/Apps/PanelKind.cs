using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps;

/// <summary>A class of panels says here what it is. That it does is all it takes to be known.</summary>
public interface IPanelKind
{
    /// <summary>What the class is.</summary>
    static abstract PanelKind Kind { get; }
}

/// <summary>What there is to know of one kind of panel.</summary>
/// <param name="Label">What builders read.</param>
/// <param name="Does">What it is for, in a few words.</param>
/// <param name="Icon">The name of its icon.</param>
/// <param name="Make">A new one by its name, of a dataset where one was chosen.</param>
/// <param name="Own">The settings that only this kind has.</param>
public sealed record PanelKind(string Label, string Does, string Icon, Func<string, Dataset?, Panel> Make, ImmutableArray<Setting> Own)
{
    private static readonly Lazy<FrozenDictionary<Type, PanelKind>> Known = new(() =>
        DeclaredKinds.Of<PanelKind>(typeof(IPanelKind), (kind, name) => kind with { Name = name })
    );

    /// <summary>The name in commands and documents.</summary>
    public string Name { get; private init; } = "";

    /// <summary>It shows a dataset's records, so that one is chosen first.</summary>
    public bool NeedsDataset { get; init; }

    /// <summary>All settings, the kind's own first.</summary>
    public ImmutableArray<Setting> Settings { get; } = [.. Own, .. Panel.Common];

    /// <summary>All kinds, in the order of their labels.</summary>
    public static IEnumerable<PanelKind> All => Known.Value.Values.OrderBy(kind => kind.Label, StringComparer.Ordinal);

    /// <summary>The kind of a class of panels.</summary>
    public static PanelKind Of(Type panel) => Known.Value[panel];

    /// <summary>A setting by its key; null where the kind has none such.</summary>
    public Setting? Find(string key) => Settings.FirstOrDefault(setting => setting.Key == key);
}
