using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>Something that is wrong with a draft.</summary>
/// <param name="Page">The page's address; null where it is the app itself.</param>
/// <param name="Panel">The panel; null where it is the page itself.</param>
/// <param name="Setting">The key of the setting; null where it is the panel itself.</param>
/// <param name="Message">What is wrong, for the builder.</param>
/// <param name="Warns">It can be published all the same.</param>
public sealed record AppProblem(string? Page, string? Panel, string? Setting, string Message, bool Warns = false)
{
    /// <summary>An edit that puts it right, where one is known.</summary>
    public AppEdit? Correction { get; init; }

    /// <summary>What that edit does, in words.</summary>
    public string? CorrectionSays { get; init; }
}

/// <summary>Holds a draft against its datasets and against itself.</summary>
public static class AppProblems
{
    /// <summary>What is wrong with an app.</summary>
    /// <param name="app">The draft.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="anybody">Which names <c>user</c> has in formulas.</param>
    public static ImmutableArray<AppProblem> Of(AppDefinition app, DatasetCatalogue catalogue, SignedIn? anybody)
    {
        ArgumentNullException.ThrowIfNull(app);
        ArgumentNullException.ThrowIfNull(catalogue);
        var shapes = DatasetShapes.Of(catalogue, Grants.ViewEverything);
        IEnumerable<AppProblem> home = app.Home is { } address && app.Find(address) is null ? [new AppProblem(null, null, null, "The page with which the app opens is no longer there.") { Correction = new AppEdit.SetApp(AppEdit.SetApp.Home, ""), CorrectionSays = "Open with the first page" }] : [];
        IEnumerable<AppProblem> look = app.Look is { Problem: { } message } painted ? [new AppProblem(null, null, "accent", message) { Correction = new AppEdit.SetApp("accent", painted.Readable!), CorrectionSays = $"Take {painted.Readable}" }] : [];
        return [.. home, .. look, .. app.Pages.SelectMany(page => Of(app, page, PageScope.Of(page, catalogue, shapes, anybody), catalogue))];
    }

    private static IEnumerable<AppProblem> Of(AppDefinition app, Page page, PageScope scope, DatasetCatalogue catalogue)
    {
        if (page.Audience.IsEmpty)
        {
            yield return new(page.Address, null, "audience", "Nobody sees this page: choose the roles that do.", Warns: true);
        }

        foreach (var panel in page.All)
        {
            foreach (var problem in Of(app, page, panel, scope, catalogue))
            {
                yield return problem;
            }
        }

        if (scope.Graph.Cycle() is { IsEmpty: false } ring)
        {
            yield return new(page.Address, ring[0], null, $"“{ring[0]}” depends on itself, by way of {string.Join(" → ", ring)}.");
        }
    }

    private static IEnumerable<AppProblem> Of(AppDefinition app, Page page, Panel panel, PageScope scope, DatasetCatalogue catalogue)
    {
        if (panel.Of is { } id && catalogue.Find(id) is not { GoneBecause: null })
        {
            yield return new(page.Address, panel.Name, "dataset", "Its dataset is no longer there.") { Correction = new AppEdit.RemovePanel(page.Address, panel.Name), CorrectionSays = "Remove the panel" };
            yield break;
        }

        var dataset = panel.Of is { } of ? catalogue.Find(of) : null;
        foreach (var setting in panel.Kind.Settings)
        {
            var text = setting.Get(panel);
            foreach (var problem in Missing(panel, setting, text, dataset))
            {
                yield return problem with { Page = page.Address, Correction = problem.Correction is AppEdit.SetSetting edit ? edit with { Page = page.Address } : null };
            }

            foreach (var message in Steps(setting, text).SelectMany(action => Unnamed(app, page, action)))
            {
                yield return new(page.Address, panel.Name, setting.Key, message);
            }

            foreach (var place in setting.Kind.Formulas(text))
            {
                var formula = scope.Check(panel, place);
                if (scope.Problem(panel, place, formula) is { } message)
                {
                    var correction = formula.Problems is [{ Correction: { } better } first, ..] ? Corrected(page, panel, setting, text, place, first, better) : null;
                    yield return new(page.Address, panel.Name, setting.Key, $"{setting.Label}: {message}") { Correction = correction, CorrectionSays = correction is null ? null : $"Write “{formula.Problems[0].Correction}”" };
                }
            }
        }

        if (panel.RecordPage is { } recordPage && app.Find(recordPage)?.ParameterFor(panel.Of!.Value) is null)
        {
            yield return new(page.Address, panel.Name, "choicePage", recordPage.Length == 0 ? "A chosen record opens a page: choose which."
                : app.Find(recordPage) is { } known ? $"A chosen record opens the page “{known.Name}”, which has no parameter for a {dataset?.RecordLabel}." : $"A chosen record opens the page “{recordPage}”, which is not there.");
        }

        foreach (var gone in panel is CardsPanel cards && dataset is not null ? Unrelated(cards.Nested, dataset, catalogue) : [])
        {
            yield return new(page.Address, panel.Name, "nested", $"A list shows “{gone}” of each record, which is no longer there.");
        }

        foreach (var message in Incomplete(panel, dataset))
        {
            yield return message with { Page = page.Address };
        }
    }

    private static AppEdit.SetSetting Corrected(Page page, Panel panel, Setting setting, string text, FormulaPlace place, FormulaProblem problem, string better) =>
        new(page.Address, panel.Name, setting.Key, setting.Kind.Rewritten(text, other => other.Formula != place.Formula ? other.Formula
            : string.Concat(other.Formula.AsSpan(0, problem.Span.Start), better, other.Formula.AsSpan(Math.Min(other.Formula.Length, problem.Span.Start + problem.Span.Length)))));

    // Fields that a setting names and the dataset does not have.
    private static IEnumerable<AppProblem> Missing(Panel panel, Setting setting, string text, Dataset? dataset)
    {
        var own = (panel as TablePanel)?.Computed.Select(column => column.Name).ToHashSet() ?? [];
        string[] lost = dataset is null ? [] : setting.Kind switch
        {
            SettingKind.Fields => [.. Setting.Split(text).Where(name => dataset.Find(new FieldName(name)) is null && !own.Contains(new FieldName(name)))],
            SettingKind.OneField => text.TrimStart('-') is { Length: > 0 } name && dataset.Find(new FieldName(name)) is null && !own.Contains(new FieldName(name)) ? [name] : [],
            SettingKind.FieldTexts { Into: true } => [.. SettingKind.FieldTexts.Map(text)!.Keys.Where(name => dataset.Find(new FieldName(name)) is null)],
            _ => [],
        };
        if (lost.Length == 0)
        {
            yield break;
        }

        var kept = setting.Kind switch
        {
            SettingKind.Fields => Setting.Joined(Setting.Split(text).Except(lost)),
            SettingKind.OneField => "",
            _ => SettingKind.FieldTexts.Write(SettingKind.FieldTexts.Map(text)!.Where(pair => !lost.Contains(pair.Key)).ToDictionary()),
        };
        var fits = setting.Set(panel, kept) is not null;
        yield return new(null, panel.Name, setting.Key, $"{setting.Label}: {string.Join(", ", lost)} {(lost.Length == 1 ? "is" : "are")} no longer there.")
        {
            Correction = fits ? new AppEdit.SetSetting("", panel.Name, setting.Key, kept) : null,
            CorrectionSays = fits ? "Leave it out" : null,
        };
    }

    private static IEnumerable<PanelAction> Steps(Setting setting, string text) => setting.Kind switch
    {
        SettingKind.Steps => PanelAction.Read(text) is { } action ? [action] : [],
        SettingKind.NamedActions => (SettingKind.NamedActions.Read(text) ?? []).Select(action => action.Does),
        _ => [],
    };

    // Steps that lead to what is not there.
    private static IEnumerable<string> Unnamed(AppDefinition app, Page page, PanelAction action) => action.Steps.Concat(action.OnFailure).Select(step => step switch
    {
        OpenPage open when app.Find(open.Page) is null => open.Page.Length == 0 ? "A step goes to a page: choose which." : $"A step goes to the page “{open.Page}”, which is not there.",
        OpenPage open when app.Find(open.Page)!.Parameters is var known && open.Parameters.Keys.FirstOrDefault(name => known.All(parameter => parameter.Name != name)) is { } extra => $"A step gives the page “{open.Page}” the parameter “{extra}”, which it does not have.",
        DownloadTable download when page.Find(download.Table) is not TablePanel => download.Table.Length == 0 ? "A step downloads a table: choose which." : $"A step downloads the table “{download.Table}”, which is not there.",
        WriteEmail { To: "", Copies: "", BlindCopies: "" } => "A step writes an e-mail: say to whom.",
        OpenAddress { Address: "" } => "A step opens an address: say which.",
        OpenAddress { Address: var to } when !Computed.IsFormula(to) && !WebAddress.IsSafe(to) => $"A step opens “{to}”, which is no address that can be opened. It begins with https://, say.",
        OpenPanel open when page.Find(open.Panel) is not { Opens: true } => open.Panel.Length == 0 ? "A step opens a sheet or dialog: choose which." : $"A step opens “{open.Panel}”, which is not there.",
        SetInput set when page.Find(set.Input) is not InputPanel => set.Input.Length == 0 ? "A step sets an input: choose which." : $"A step sets the input “{set.Input}”, which is not there.",
        CreateRecord { Dataset: null } or UpdateRecord { Dataset: null } or DeleteRecord { Dataset: null } => "A step changes records: choose of which dataset.",
        _ => null,
    }).OfType<string>();

    // Lists within whose relation there is none any more.
    private static IEnumerable<string> Unrelated(ImmutableArray<NestedList> lists, Dataset dataset, DatasetCatalogue catalogue) => lists.SelectMany(list =>
        NestedLists.RelationOf(catalogue, dataset, list) is { } known ? Unrelated(list.Nested, known.From, catalogue) : [list.Relation]);

    private static IEnumerable<AppProblem> Incomplete(Panel panel, Dataset? dataset)
    {
        switch (panel)
        {
            case RecordPanel { Record: null }:
                yield return new(null, panel.Name, "record", "It is not said which record is shown.");
                break;
            case FigurePanel { Measure: not "count" } figure when figure.Field is not { } field || dataset?.Find(field) is not { Type.IsNumeric: true }:
                yield return new(null, panel.Name, "field", "It tells something of a field with numbers: choose which.");
                break;
            case InputPanel { Takes: "choice", Dataset: null } input when input.Words.IsEmpty:
                yield return new(null, panel.Name, "options", "There is nothing to choose from.");
                break;
            case ImagePanel { Record: null }:
                yield return new(null, panel.Name, "record", "It is not said whose picture is shown.");
                break;
            case ImagePanel image when image.Picture is not { } picture || dataset?.Find(picture) is not { IsPicture: true }:
                yield return new(null, panel.Name, "picture", "It shows a picture: choose the field that holds it.");
                break;
            case EmbedPanel { Address.Length: 0 }:
                yield return new(null, panel.Name, "address", "It is not said which page is shown.");
                break;
            case LinksPanel { Links.IsEmpty: true }:
                yield return new(null, panel.Name, "links", "It has no links.", Warns: true);
                break;
            case FigurePanel { Period.Length: > 0 } figure when figure.When is not { } when || dataset?.Find(when) is not { Type: FieldType.Date or FieldType.Instant or FieldType.LocalDateTime }:
                yield return new(null, panel.Name, "when", "It is of a certain time: choose the field that says when.");
                break;
            case FigurePanel { Compares: true, Period.Length: 0 }:
                yield return new(null, panel.Name, "compares", "It is held against the time before: choose of which time it is.", Warns: true);
                break;
            case ButtonPanel { OnClick.IsEmpty: true }:
                yield return new(null, panel.Name, "onClick", "It does nothing when it is pressed.", Warns: true);
                break;
            case FormPanel { Fields.IsEmpty: true, HiddenValues.IsEmpty: true }:
                yield return new(null, panel.Name, "fields", "It has no fields.");
                break;
            case { Opens: true, Panels.IsEmpty: true } or TabsPanel { Panels.IsEmpty: true }:
                yield return new(null, panel.Name, null, "There is nothing in it.", Warns: true);
                break;
        }
    }
}
