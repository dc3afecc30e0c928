using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Store;

namespace Rostrum.Web.Build.Composer;

/// <summary>Where settings are shown in a Dock: of a page that is composed, or of a workflow.</summary>
internal interface ISettingHost
{
    /// <summary>The datasets to choose from.</summary>
    IEnumerable<(DatasetId Id, string Label)> Datasets { get; }

    /// <summary>The statements that change data, likewise.</summary>
    IEnumerable<(DatasetId Id, string Label)> Statements { get; }

    ImmutableArray<RoleEntry> Roles { get; }

    /// <summary>The address of a question about what is shown.</summary>
    string Address(string? handler = null, params (string Name, string? Value)[] more);

    /// <summary>What stands under a setting that is a formula: its value at this moment, or what is wrong.</summary>
    (string? Now, CheckedFormula? Formula, string? Problem) Present(SettingView view);

    /// <summary>Records or lists of records for a setting that wants such.</summary>
    IEnumerable<string> Offers(SettingView view);

    /// <summary>What can be named.</summary>
    IEnumerable<(string Value, string Label)> Named(SettingView view, NamedThing thing);
}
