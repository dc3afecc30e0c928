using System.Net;
using AngleSharp.Dom;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>An own table with fields of some types, on a published page of Maintenance that builders may do everything on.</summary>
internal static class OwnTableSpace
{
    /// <summary>The column of a type.</summary>
    public static string NameOf(OwnType type) => $"f_{type}".ToLowerInvariant();

    /// <summary>The page of a table.</summary>
    public static string PageOf(string label) => $"/apps/maintenance/{label.ToLowerInvariant().Replace(' ', '-')}";

    /// <summary>Where forms alter a table that is filled at an address.</summary>
    public static async Task<string> FormsOfAsync(this Visitor visitor, string editor) =>
        (await visitor.PageAsync(editor)).QuerySelector(".own-add a")!.GetAttribute("href")!.Split('?')[0];

    /// <summary>Where a table is filled that forms alter at an address.</summary>
    public static string EditorOf(string forms) => $"/build/tables/{forms.Split('/')[4]}";

    /// <summary>
    /// Makes it; gives a builder and the address where the table is altered. Its panel is called <c>all</c>; a relation leads to the table
    /// of suppliers.
    /// </summary>
    public static Task<(Visitor Builder, string Table)> WithOwnTableAsync(
        this DemoApplication application,
        string label,
        params OwnKind[] kinds
    ) => application.WithOwnTableAsync(label, panel => panel, kinds);

    /// <summary>The same with a panel that is set otherwise.</summary>
    public static async Task<(Visitor Builder, string Table)> WithOwnTableAsync(
        this DemoApplication application,
        string label,
        Func<TablePanel, TablePanel> otherwise,
        params OwnKind[] kinds
    )
    {
        var bea = await application.AsAsync("bea");
        using var read = await bea.PostAsync(
            "/build/tables/new",
            "/build/tables/new?handler=Read",
            ("label", label),
            ("pasted", "Name\nFirst\n")
        );
        var address = read.Headers.Location!.ToString();
        var form = (await bea.PageAsync(address)).QuerySelector("form.form-body")!;
        using var made = await bea.PostAsync(address, address.Split("&label")[0], Visitor.Filled(form));
        var table = await bea.FormsOfAsync(made.Headers.Location!.ToString());
        foreach (var kind in kinds)
        {
            using var added = await bea.PostAsync(
                $"{table}?form=add",
                $"{table}?handler=Add",
                ("label", NameOf(kind.Type)),
                ("type", kind.Type.ToString()),
                ("options", kind.Type is OwnType.Several ? "\"red, dark\", blue" : "open, in work"),
                ("target", "suppliers")
            );
            Assert.Equal(HttpStatusCode.Redirect, added.StatusCode);
        }

        await application.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var dataset = datasets.All.Single(dataset => dataset.Label == label && dataset.GoneBecause is null);
            store.Policies.Add(
                new StoredPolicy
                {
                    Role = "builder",
                    DatasetId = dataset.Id.Value,
                    Verbs = Verbs.All,
                }
            );
            FieldName[] fields = [.. dataset.Fields.Select(field => field.Name).Where(name => name.Value != "id")];
            var page = new Page
            {
                Address = PageOf(label).Split('/')[^1],
                Name = label,
                Audience = ["builder"],
                Panels =
                [
                    otherwise(
                        new TablePanel
                        {
                            Name = "all",
                            Dataset = dataset.Id,
                            Columns = [.. fields],
                            Editable = [.. fields],
                            SheetFields = [.. fields],
                            AllowImport = true,
                            AllowDownload = true,
                            AllowAdding = true,
                        }
                    ),
                ],
            };
            var stored = await application.DraftAsync("maintenance");
            Drafts.Replace(store, stored, Assert.IsType<EditResult.Done>(new AppEdit.AddPage(9, page).Apply(stored.Draft, datasets)).App);
            return await store.SaveChangesAsync();
        });
        using var published = await bea.PublishAsync("/build/apps/maintenance/versions", label);
        return (bea, table);
    }
}
