using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Editing;

/// <summary>What came of an edit.</summary>
public abstract record EditResult
{
    private EditResult() { }

    /// <summary>It is done.</summary>
    /// <param name="App">The app with it.</param>
    /// <param name="Inverse">What takes it back.</param>
    public sealed record Done(AppDefinition App, AppEdit Inverse) : EditResult;

    /// <summary>It cannot be done.</summary>
    public sealed record Refused(string Reason) : EditResult;
}

/// <summary>A change of an app, as a value: it can be applied, taken back, kept and told.</summary>
public abstract record AppEdit
{
    private AppEdit() { }

    /// <summary>The app with the edit, and what takes it back; or why it cannot be.</summary>
    /// <param name="app">The app.</param>
    /// <param name="catalogue">The datasets, for edits that rewrite formulas.</param>
    public abstract EditResult Apply(AppDefinition app, DatasetCatalogue catalogue);

    /// <summary>What it changes, as paths: two edits are about the same where a path of one begins a path of the other.</summary>
    public abstract IEnumerable<string> Touches { get; }

    /// <summary>What it does, in words.</summary>
    public abstract string Says(AppDefinition before);

    /// <summary>Whether another edit is about the same thing.</summary>
    public bool IsAboutTheSameAs(AppEdit other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return Touches.Any(mine =>
            other.Touches.Any(theirs =>
                mine == Everything
                || theirs == Everything
                || (mine + "/").StartsWith(theirs + "/", StringComparison.Ordinal)
                || (theirs + "/").StartsWith(mine + "/", StringComparison.Ordinal)
            )
        );
    }

    /// <summary>A setting of a panel says something else.</summary>
    public sealed record SetSetting(string Page, string Panel, string Key, string Value) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"{Page}/{Panel}/{Key}"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) =>
            before.Find(Page)?.Find(Panel) is { } panel && panel.Kind.Find(Key) is { } setting
                ? AppWords.SettingChange(panel.Name, setting, setting.Get(panel), Value)
                : $"{Panel}: {Key} changed";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            if (app.Find(Page)?.Find(Panel) is not { } panel)
            {
                return Gone(Panel);
            }

            if (panel.Kind.Find(Key) is not { } setting)
            {
                return new EditResult.Refused($"A {panel.Kind.Label.ToLowerInvariant()} has no such setting.");
            }

            if (setting.Set(panel, Value) is not Panel changed)
            {
                return new EditResult.Refused(
                    setting.Kind is SettingKind.Whole whole
                        ? $"“{setting.Label}” is a whole number from {whole.Least} to {whole.Most}."
                        : $"That does not fit “{setting.Label}”."
                );
            }

            return new EditResult.Done(PageTree.Replace(app, Page, Panel, changed), Back(setting, panel, changed));
        }

        // A setting may change others with it; the way back says them all.
        private AppEdit Back(Setting setting, Panel before, Panel after)
        {
            // A value took the place of a formula and of what stood beneath it: both come back.
            if (before.Formulas.ContainsKey(Key) && !after.Formulas.ContainsKey(Key))
            {
                var beneath = before with { Formulas = before.Formulas.Remove(Key) };
                return new Several(
                    [this with { Value = setting.Get(beneath) }, this with { Value = setting.Get(before) }],
                    "as it was before"
                );
            }

            var back = this with { Value = setting.Get(before) };
            ImmutableArray<AppEdit> amends = setting.Set(after, back.Value) is Panel again
                ?
                [
                    .. from other in before.Kind.Settings
                    where other.Get(again) != other.Get(before)
                    select this with
                    {
                        Key = other.Key,
                        Value = other.Get(before),
                    },
                ]
                : [];
            return amends.IsEmpty ? back : new Several([back, .. amends], "as it was before");
        }
    }

    /// <summary>A panel more.</summary>
    /// <param name="Page">The page.</param>
    /// <param name="Parent">The container; the page itself where null.</param>
    /// <param name="Index">Its place among those there.</param>
    /// <param name="Panel">The panel.</param>
    public sealed record AddPanel(string Page, string? Parent, int Index, Panel Panel) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => Panel.All.Select(panel => $"{Page}/{panel.Name}");

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"{Panel.Name}: {Panel.Kind.Label.ToLowerInvariant()} added";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            if (app.Find(Page) is not { } page)
            {
                return NoPage(Page);
            }

            if (
                Panel
                    .All.GroupBy(panel => panel.Name, StringComparer.OrdinalIgnoreCase)
                    .FirstOrDefault(group =>
                        group.Count() > 1 || page.All.Any(panel => panel.Name.Equals(group.Key, StringComparison.OrdinalIgnoreCase))
                    ) is
                { } twin
            )
            {
                return new EditResult.Refused($"There is a panel with the name “{twin.Key}” on this page already.");
            }

            if (PageTree.Misplaced(page, Parent, Panel) is { } reason)
            {
                return new EditResult.Refused(reason);
            }

            return new EditResult.Done(PageTree.With(app, PageTree.Insert(page, Parent, Index, Panel)), new RemovePanel(Page, Panel.Name));
        }
    }

    /// <summary>A panel less, with all that stands within it.</summary>
    public sealed record RemovePanel(string Page, string Panel) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"{Page}/{Panel}"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"{Panel}: removed";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            app.Find(Page) is { } page && page.Find(Panel) is { } panel && PageTree.PlaceOf(page, Panel) is var (parent, index)
                ? new EditResult.Done(PageTree.With(app, PageTree.Remove(page, Panel)), new AddPanel(Page, parent, index, panel))
                : Gone(Panel);
    }

    /// <summary>A panel in another place.</summary>
    public sealed record MovePanel(string Page, string Panel, string? Parent, int Index) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"{Page}/{Panel}/place"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"{Panel}: moved";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            if (app.Find(Page) is not { } page || page.Find(Panel) is not { } panel)
            {
                return Gone(Panel);
            }

            if (Parent is not null && panel.All.Any(inner => inner.Name == Parent))
            {
                return new EditResult.Refused("A panel cannot stand within itself.");
            }

            var (parent, index) = PageTree.PlaceOf(page, Panel);
            var without = PageTree.Remove(page, Panel);
            return PageTree.Misplaced(without, Parent, panel) is { } reason
                ? new EditResult.Refused(reason)
                : new EditResult.Done(
                    PageTree.With(app, PageTree.Insert(without, Parent, Index, panel)),
                    new MovePanel(Page, Panel, parent, index)
                );
        }
    }

    /// <summary>A panel has another name, and everything that names it says so.</summary>
    public sealed record RenamePanel(string Page, string Panel, string Name) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"{Page}/{Panel}", $"{Page}/{Name}"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"{Panel}: now called {Name}";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            if (app.Find(Page) is not { } page || page.Find(Panel) is null)
            {
                return Gone(Panel);
            }

            return PanelNaming.Problem(page, Panel, Name) is { } problem
                ? new EditResult.Refused(problem)
                : Exactly(
                    app,
                    PageTree.With(app, PanelNaming.Rename(page, Panel, Name, catalogue)),
                    new RenamePanel(Page, Name, Panel),
                    catalogue
                );
        }
    }

    /// <summary>A page more.</summary>
    public sealed record AddPage(int Index, Page Page) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [Page.Address];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"Page {Page.Name}: added";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            app.Find(Page.Address) is not null
                ? new EditResult.Refused($"There is a page with the address “{Page.Address}” already.")
                : new EditResult.Done(
                    app with
                    {
                        Pages = app.Pages.Insert(Math.Clamp(Index, 0, app.Pages.Length), Page),
                    },
                    new RemovePage(Page.Address)
                );
    }

    /// <summary>A page less.</summary>
    public sealed record RemovePage(string Page) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [Page];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"Page {before.Find(Page)?.Name ?? Page}: removed";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            app.Find(Page) is not { } page ? NoPage(Page)
            : app.Pages.Length == 1 ? new EditResult.Refused("An app needs one page at least.")
            : new EditResult.Done(app with { Pages = app.Pages.Remove(page) }, new AddPage(app.Pages.IndexOf(page), page));
    }

    /// <summary>A page in another place among the pages.</summary>
    public sealed record MovePage(string Page, int Index) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"{Page}/place"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => $"Page {before.Find(Page)?.Name ?? Page}: moved";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            app.Find(Page) is not { } page
                ? NoPage(Page)
                : new EditResult.Done(
                    app with
                    {
                        Pages = app.Pages.Remove(page).Insert(Math.Clamp(Index, 0, app.Pages.Length - 1), page),
                    },
                    new MovePage(Page, app.Pages.IndexOf(page))
                );
    }

    /// <summary>A setting of a page says something else.</summary>
    public sealed record SetPage(string Page, string Key, string Value) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => Key == PageSettings.Address ? [Page, Value] : [$"{Page}//{Key}"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) =>
            before.Find(Page) is { } page && PageSettings.Find(Key) is { } setting
                ? AppWords.SettingChange($"Page {page.Name}", setting, setting.Get(page), Value)
                : $"{Page}: {Key} changed";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            if (app.Find(Page) is not { } page)
            {
                return NoPage(Page);
            }

            if (PageSettings.Find(Key) is not { } setting || setting.Set(page, Value) is not Page changed)
            {
                return new EditResult.Refused(
                    $"That does not fit {(PageSettings.Find(Key) is { } known ? $"“{known.Label}”" : "a page")}."
                );
            }

            if (changed.Address == page.Address)
            {
                return new EditResult.Done(PageTree.With(app, changed), this with { Value = setting.Get(page) });
            }

            return app.Find(changed.Address) is not null
                ? new EditResult.Refused($"There is a page with the address “{changed.Address}” already.")
                : Exactly(
                    app,
                    PanelNaming.Readdress(app, page.Address, changed.Address),
                    new SetPage(changed.Address, Key, page.Address),
                    catalogue
                );
        }
    }

    /// <summary>The app itself has another name, or opens with another page.</summary>
    public sealed record SetApp(string Key, string Value) : AppEdit
    {
        /// <summary>The key of the app's name.</summary>
        public const string Name = "name";

        /// <summary>The key of the page with which it opens.</summary>
        public const string Home = "home";

        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [$"//{Key}"];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) =>
            AppLook.Find(Key) is { } look ? AppWords.SettingChange("The app", look, look.Get(before?.Look ?? new AppLook()), Value)
            : Key == Name ? $"The app is now called “{Value}”"
            : $"The app opens with {before?.Find(Value)?.Name ?? "its first page"}";

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            Key switch
            {
                Name when !string.IsNullOrWhiteSpace(Value) => new EditResult.Done(
                    app with
                    {
                        Name = Value.Trim(),
                    },
                    this with
                    {
                        Value = app.Name,
                    }
                ),
                Name => new EditResult.Refused("An app needs a name."),
                Home when Value.Length == 0 || PageSettings.IsAddress(Value) => new EditResult.Done(
                    app with
                    {
                        Home = Setting.Blank(Value),
                    },
                    this with
                    {
                        Value = app.Home ?? "",
                    }
                ),
                _ when AppLook.Find(Key) is { } setting => setting.Set(app.Look ?? new AppLook(), Value) is AppLook look
                    ? new EditResult.Done(
                        app with
                        {
                            Look = look == new AppLook() ? null : look,
                        },
                        this with
                        {
                            Value = setting.Get(app.Look ?? new AppLook()),
                        }
                    )
                    : new EditResult.Refused($"{setting.Label}: “{(Value.Length > 40 ? Value[..40] + "…" : Value)}” does not fit here."),
                _ => NoPage(Value),
            };
    }

    /// <summary>The whole app as it was at some time.</summary>
    public sealed record Restore(AppDefinition App, string Words) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => [Everything];

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => Words;

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue) =>
            new EditResult.Done(App, this with { App = app });
    }

    /// <summary>Several edits that are one.</summary>
    public sealed record Several(ImmutableArray<AppEdit> Edits, string Words) : AppEdit
    {
        /// <inheritdoc/>
        public override IEnumerable<string> Touches => Edits.SelectMany(edit => edit.Touches);

        /// <inheritdoc/>
        public override string Says(AppDefinition before) => Words;

        /// <inheritdoc/>
        public override EditResult Apply(AppDefinition app, DatasetCatalogue catalogue)
        {
            var inverses = new Stack<AppEdit>();
            foreach (var edit in Edits)
            {
                switch (edit.Apply(app, catalogue))
                {
                    case EditResult.Done done:
                        app = done.App;
                        inverses.Push(done.Inverse);
                        break;
                    case var refused:
                        return refused;
                }
            }

            return new EditResult.Done(app, this with { Edits = [.. inverses] });
        }
    }

    private const string Everything = "*";

    // What named nothing may by a new name come to name something; the way back says again what was said before.
    private static EditResult.Done Exactly(AppDefinition before, AppDefinition after, AppEdit back, DatasetCatalogue catalogue)
    {
        var again = back switch
        {
            RenamePanel rename => PageTree.With(after, PanelNaming.Rename(after.Find(rename.Page)!, rename.Panel, rename.Name, catalogue)),
            SetPage readdress => PanelNaming.Readdress(after, readdress.Page, readdress.Value),
            _ => before,
        };
        ImmutableArray<AppEdit> amends =
        [
            .. from known in before.Pages
            from panel in known.All
            let other = again.Find(known.Address)?.Find(panel.Name)
            where other is not null
            from setting in panel.Kind.Settings
            where setting.Get(panel) != setting.Get(other)
            select new SetSetting(known.Address, panel.Name, setting.Key, setting.Get(panel)),
            .. before.Home == again.Home ? Array.Empty<AppEdit>() : [new SetApp(SetApp.Home, before.Home ?? "")],
        ];
        return new EditResult.Done(after, amends.IsEmpty ? back : new Several([back, .. amends], "as it was called before"));
    }

    private static EditResult.Refused Gone(string panel) => new($"The panel “{panel}” is no longer there.");

    private static EditResult.Refused NoPage(string page) => new($"The page “{page}” is no longer there.");
}
