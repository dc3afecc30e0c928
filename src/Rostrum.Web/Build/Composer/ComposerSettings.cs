using Microsoft.AspNetCore.Mvc;
using Rostrum.Core;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Web.Build.Composer.Settings;
using Rostrum.Web.Live;

namespace Rostrum.Web.Build.Composer;

/// <summary>What the Dock changes: settings, steps, lists of what belongs to each record, and corrections.</summary>
internal sealed partial class ComposerModel
{
    public async Task<IActionResult> OnPostSetAsync(string address, string shown, string key, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        object of = Selected is null ? Current : Selected;
        var settings = Selected?.Kind.Settings ?? PageSettings.All;
        AppEdit[] edits =
        [
            .. SettingInput
                .Read(of, settings, key, Request.Form)
                .Where(said => said.Text != said.Setting.Get(of))
                .Select(said => Set(said.Setting.Key, said.Text)),
        ];
        WithDock = settings.FirstOrDefault(setting => setting.Key == key) is { } changed && SettingInput.Of(changed.Kind).RedrawsDock;
        return edits.Length == 0
            ? new NoContentResult()
            : await EditAsync(
                edits is [var one] ? one : new AppEdit.Several([.. edits], string.Join("; ", edits.Select(edit => edit.Says(App.Draft)))),
                revision,
                cancellation
            );
    }

    /// <summary>One field of a list up or down.</summary>
    public async Task<IActionResult> OnPostOrderAsync(
        string address,
        string shown,
        string key,
        string field,
        int by,
        int revision,
        CancellationToken cancellation
    ) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null && Selected.Kind.Find(key) is { } setting
            ? await EditAsync(Set(key, FieldsInput.Moved(setting.Get(Selected), field, by)), revision, cancellation)
            : NotFound();

    /// <summary>Something about the steps of an action.</summary>
    public async Task<IActionResult> OnPostStepAsync(
        string address,
        string shown,
        string key,
        int? action,
        bool failure,
        int? step,
        string does,
        string? with,
        int revision,
        CancellationToken cancellation
    ) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null && Selected.Kind.Find(key) is { } setting
            ? await EditAsync(
                Set(
                    key,
                    new StepCommand(
                        key,
                        action,
                        failure,
                        step,
                        does,
                        with ?? Request.Form[$"{StepCommand.Prefix(key, action, failure, null)}with"].ToString()
                    ).Applied(setting, Selected, Request.Form)
                ),
                revision,
                cancellation
            )
            : NotFound();

    /// <summary>Something about the lists of what belongs to each record.</summary>
    public async Task<IActionResult> OnPostNestedAsync(
        string address,
        string shown,
        string key,
        string? path,
        string does,
        int revision,
        CancellationToken cancellation
    ) =>
        await LoadAsync(address, shown, cancellation)
        && Selected is not null
        && Selected.Kind.Find(key) is { Kind: SettingKind.NestedLists } setting
            ? await EditAsync(
                Set(
                    key,
                    SettingKind.NestedLists.Write(
                        new NestedCommand(path ?? "", does).Applied(
                            SettingKind.NestedLists.Read(setting.Get(Selected))!.Value,
                            Catalogue,
                            Request.Form
                        )
                    )
                ),
                revision,
                cancellation
            )
            : NotFound();

    /// <summary>What the page above shows becomes a view that everybody can choose; or one of those views goes.</summary>
    public async Task<IActionResult> OnPostViewAsync(
        string address,
        string shown,
        string key,
        string? view,
        string? without,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation) || Selected is not TablePanel table)
        {
            return NotFound();
        }

        var name = view?.Trim() ?? "";
        if (without is null && name.Length is 0 or > SavedView.LongestName)
        {
            return await OutcomeAsync(new DraftOutcome.Refused("Write a name for the view first."), null, table.Name, cancellation);
        }

        var state = PageAddress.Read(Current, Request.Query["state"].ToString()).List(table.Name);
        var others = table.Views.Where(known => known.Name != name && known.Name != without);
        SavedView[] added = without is null ? [new SavedView(name, PageAddress.Write(state.ToKeep()))] : [];
        return await EditAsync(Set(key, SettingKind.Views.Write([.. others, .. added])), revision, cancellation);
    }

    public async Task<IActionResult> OnPostCorrectAsync(
        string address,
        string shown,
        string edit,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        return KindJson.Read<AppEdit>(edit) is { } known ? await EditAsync(known, revision, cancellation) : BadRequest();
    }

    private AppEdit Set(string key, string text) =>
        Selected is null
            ? new AppEdit.SetPage(Current.Address, key, text)
            : new AppEdit.SetSetting(Current.Address, Selected.Name, key, text);
}
