using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Settings;

namespace Rostrum.Web.Build.Composer;

/// <summary>Where panels stand, what they are called, and whether they are there.</summary>
internal sealed partial class ComposerModel
{
    public async Task<IActionResult> OnPostMoveAsync(
        string address,
        string shown,
        string? parent,
        string? before,
        string? by,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation) || Selected is null)
        {
            return NotFound();
        }

        var (within, at) = PageTree.PlaceOf(Current, Selected.Name);
        var among = within is null ? Current.Panels : Current.Find(within)!.Panels;
        var place = by switch
        {
            "up" => (within, at - 1),
            "down" => (within, at + 1),
            "in" when at > 0 && among[at - 1].IsContainer => (among[at - 1].Name, among[at - 1].Panels.Length),
            "out" when within is not null && PageTree.PlaceOf(Current, within) is var outer => (outer.Parent, outer.Index + 1),
            null or "" => Target(parent, before),
            _ => ((string?)null, -1),
        };
        return place.Item2 < 0 || place == (within, at)
            ? new NoContentResult()
            : await EditAsync(new AppEdit.MovePanel(Current.Address, Selected.Name, place.Item1, place.Item2), revision, cancellation);

        // A panel that stands before its own new place leaves a gap behind.
        (string? Parent, int Index) Target(string? into, string? next)
        {
            var others = into is null or "" ? Current.Panels : Current.Find(into)?.Panels ?? [];
            var index = next is { Length: > 0 } ? others.IndexOf(others.FirstOrDefault(panel => panel.Name == next)!) : others.Length;
            var own = others.IndexOf(Selected!);
            return (Setting.Blank(into ?? ""), own >= 0 && own < index ? index - 1 : index);
        }
    }

    public async Task<IActionResult> OnPostRenameAsync(
        string address,
        string shown,
        string name,
        int revision,
        CancellationToken cancellation
    ) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null
            ? name.Trim() == Selected.Name
                ? new NoContentResult()
                : await EditAsync(new AppEdit.RenamePanel(Current.Address, Selected.Name, name.Trim()), revision, cancellation, name.Trim())
            : NotFound();

    public async Task<IActionResult> OnPostRemoveAsync(string address, string shown, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null
            ? await EditAsync(new AppEdit.RemovePanel(Current.Address, Selected.Name), revision, cancellation, "")
            : NotFound();
}
