using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Build.Composer;

/// <summary>The pages of an app beside the one that is composed: added, ordered, removed.</summary>
internal sealed partial class ComposerModel
{
    public async Task<IActionResult> OnPostAddPageAsync(
        string address,
        string shown,
        string name,
        Guid? dataset,
        bool withRecord,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        if (string.IsNullOrWhiteSpace(name))
        {
            await ReadAsync(cancellation);
            (Said, IsRefusal, WithDock) = ("A page needs a name.", true, false);
            return Changed();
        }

        var of = dataset is { } id ? Catalogue.Find(new DatasetId(id)) : null;
        var page = (
            of is null
                ? new Page
                {
                    Address = "",
                    Name = "",
                    Panels = [],
                }
            : withRecord ? AppDrafting.PageWithRecord(of, [])
            : AppDrafting.PageFor(of, [])
        ) with
        {
            Name = name.Trim(),
            Address = Wording.FieldName(name, App.Draft.Pages.Select(known => new FieldName(known.Address))).Value.ToLowerInvariant(),
            Audience = Current.Audience,
        };
        page = PageSettings.IsAddress(page.Address) ? page : page with { Address = $"page_{App.Draft.Pages.Length + 1}" };
        return await EditAsync(new AppEdit.AddPage(App.Draft.Pages.IndexOf(Current) + 1, page), revision, cancellation, "", page.Address);
    }

    public async Task<IActionResult> OnPostPageAsync(
        string address,
        string shown,
        string does,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        var at = App.Draft.Pages.IndexOf(Current);
        AppEdit? edit = does switch
        {
            "home" => new AppEdit.SetApp(AppEdit.SetApp.Home, Current.Address),
            "earlier" when at > 0 => new AppEdit.MovePage(Current.Address, at - 1),
            "later" when at < App.Draft.Pages.Length - 1 => new AppEdit.MovePage(Current.Address, at + 1),
            "remove" => new AppEdit.RemovePage(Current.Address),
            _ => null,
        };
        return edit is null
            ? new NoContentResult()
            : await EditAsync(
                edit,
                revision,
                cancellation,
                "",
                does == "remove" ? App.Draft.Pages[at == 0 ? Math.Min(1, App.Draft.Pages.Length - 1) : at - 1].Address : null
            );
    }
}
