using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Has a table otherwise than its builder, for the person alone.</summary>
[Handles("POST", "View")]
internal sealed class PersonalViewHandler(RostrumStore store, CurrentPerson person) : TableHandler
{
    private const int MostFilters = 30;
    private const int MostWidths = 200;
    private const int LongestName = 40;

    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        var now = page.Run.Personal.GetValueOrDefault(table.Name) ?? PersonalTable.AsBuilt;
        var (does, name) = (page.Value("does"), page.Value("name").Trim());
        var changed = does switch
        {
            "columns" => Columns(now, table, page.Request.Form),
            "width" => Width(now, page.Value("field"), page.Value("width")),
            "keep" when name is { Length: > 0 and <= LongestName } =>
                Kept(now, new SavedFilter(name, PageAddress.Write(page.Run.State.List(table.Name).ToKeep()))),
            "forget" => now with { Filters = [.. now.Filters.Where(filter => filter.Name != name)] },
            "reset" => PersonalTable.AsBuilt with { Filters = now.Filters },
            _ => now,
        };
        await KeepAsync(page, table.Name, changed, cancellation);
        if (does == "width")
        {
            return new NoContentResult();
        }

        page.Run.Personal = new Dictionary<string, PersonalTable>(page.Run.Personal) { [table.Name] = changed };
        page.Run.OpenMenu = table.Name;
        return page.Request.IsPartial()
            ? await page.PartsAsync([table.Name], false, cancellation)
            : new RedirectResult(page.Run.State.At(page.Path));
    }

    private static PersonalTable Kept(PersonalTable now, SavedFilter kept) =>
        now with { Filters = [.. now.Filters.Where(filter => filter.Name != kept.Name).Append(kept).Take(MostFilters)] };

    private static PersonalTable Columns(PersonalTable now, TablePanel table, IFormCollection form)
    {
        var shown = form["shown"].OfType<string>().ToHashSet();
        ImmutableArray<string> hidden = [.. table.Columns.Select(column => column.Value).Where(column => !shown.Contains(column))];
        return now with { Hidden = shown.Count == 0 ? now.Hidden : hidden, Density = Words.Read<Density>(form["density"]) ?? now.Density };
    }

    private static PersonalTable Width(PersonalTable now, string field, string width) =>
        int.TryParse(width, CultureInfo.InvariantCulture, out var characters)
            && characters is >= 2 and <= 99
            && now.Widths.Count < MostWidths
            ? now with { Widths = now.Widths.SetItem(field, characters) }
            : now;

    private async Task KeepAsync(AppPageModel page, string panel, PersonalTable view, CancellationToken cancellation)
    {
        var (id, app, address) = (person.Id!.Value, page.App.Address, page.Current.Address);
        await store.SaveOnNewestAsync(
            async () =>
            {
                if (await store.PersonalTables.FindAsync([id, app, address, panel], cancellation) is { } row)
                {
                    row.View = view;
                }
                else
                {
                    store.PersonalTables.Add(new StoredPersonalTable
                    {
                        PersonId = id,
                        App = app,
                        Page = address,
                        Panel = panel,
                        View = view,
                    });
                }
            },
            cancellation);
    }
}
