using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>Has a table otherwise than its builder, for the person alone.</summary>
[Handles("POST", "View")]
internal sealed class PersonalViewHandler(RostrumStore store, CurrentPerson person) : TableHandler
{
    private const int MostViews = 30;
    private const int MostWidths = 200;

    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        var own = page.Run.Personal.GetValueOrDefault(table.Name) ?? PersonalTable.AsBuilt;
        var state = page.Run.State.List(table.Name);
        var shown = own.Under(state.View, table.Views).Shown;
        var (does, name) = (page.Value("does"), page.Value("name").Trim());
        var (changed, now) = does switch
        {
            // Other columns than the view's are no longer that view.
            "columns" => (Columns(shown, table, page.Request.Form), state with { View = null }),
            "width" => (Width(own, page.Value("field"), page.Value("width")), state),
            "keep" when name is { Length: > 0 and <= SavedView.LongestName } => (
                Kept(own, new SavedView(name, PageAddress.Write(state.ToKeep())) { Hidden = shown.Hidden, Density = shown.Density }),
                state with
                {
                    View = name,
                }
            ),
            "forget" => (own with { Views = [.. own.Views.Where(kept => kept.Name != name)] }, state),
            "reset" => (PersonalTable.AsBuilt with { Views = own.Views }, state with { View = null }),
            _ => (own, state),
        };
        await KeepAsync(page, table.Name, changed, cancellation);
        if (does == "width")
        {
            return new NoContentResult();
        }

        page.Run.Personal = new Dictionary<string, PersonalTable>(page.Run.Personal) { [table.Name] = changed };
        page.Run.OpenMenu = table.Name;
        var next = page.Run.State.With(table.Name, now);
        return page.Request.IsPartial()
            ? await page.NowAsync(next, [], null, [table.Name], cancellation)
            : new RedirectResult(next.At(page.Path));
    }

    private static PersonalTable Kept(PersonalTable now, SavedView kept) =>
        now with
        {
            Views = [.. now.Views.Where(view => view.Name != kept.Name).Append(kept).Take(MostViews)],
        };

    private static PersonalTable Columns(PersonalTable now, TablePanel table, IFormCollection form)
    {
        var shown = form["shown"].OfType<string>().ToHashSet();
        ImmutableArray<FieldName> hidden = [.. table.Columns.Where(column => !shown.Contains(column.Value))];
        return now with { Hidden = shown.Count == 0 ? now.Hidden : hidden, Density = Words.Read<Density>(form["density"]) ?? now.Density };
    }

    private static PersonalTable Width(PersonalTable now, string field, string width) =>
        int.TryParse(width, CultureInfo.InvariantCulture, out var characters)
        && characters is >= 2 and <= 99
        && now.Widths.Count < MostWidths
            ? now with
            {
                Widths = now.Widths.SetItem(field, characters),
            }
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
                    store.PersonalTables.Add(
                        new StoredPersonalTable
                        {
                            PersonId = id,
                            App = app,
                            Page = address,
                            Panel = panel,
                            View = view,
                        }
                    );
                }
            },
            cancellation
        );
    }
}
