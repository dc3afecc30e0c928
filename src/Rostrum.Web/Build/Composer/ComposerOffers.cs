using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Build.Composer;

/// <summary>What the settings of a page and its panels have to choose from.</summary>
internal sealed partial class ComposerModel : ISettingHost
{
    public (string? Now, CheckedFormula? Formula, string? Problem) Present(SettingView view)
    {
        if (view.Of is not Panel panel || view.Setting.Kind.Formulas(view.Text).FirstOrDefault() is not { } place)
        {
            return (null, null, null);
        }

        var formula = Run.Scope.Check(panel, place);
        var problem = Run.Scope.Problem(panel, place, formula);
        return problem is not null || place.OverRecord || place.List || place.Knows is not null ? (null, formula, problem)
            : formula.Tree is { Type: FormulaType.Record } whole
                ? (
                    Run.Evaluate(whole) is FormulaRecord { Identity: RecordKey key }
                        ? $"Now: {string.Join(" ", key.Values)}"
                        : "Now: none at this moment",
                    formula,
                    null
                )
            : ($"Now: {(Run.Shown(formula.Tree!) is { Length: > 0 } shown ? shown : "blank")}", formula, null);
    }

    public IEnumerable<string> Offers(SettingView view)
    {
        var records =
            from panel in Current.All.Select(panel => panel.Name).Append(PageScope.Parameters)
            from member in Run.Scope.MembersOf(panel)
            where member.Type is FormulaType.Record && (view.Of as Panel)?.Name != panel
            select (Path: $"{Formatter.Name(panel)}.{Formatter.Name(member.Name)}", ((FormulaType.Record)member.Type).Shape);
        return view.Setting.Kind is SettingKind.SomeRecord
            ? records
                .Where(record => Run.Scope.Shapes.Of(record.Shape).Dataset.Id == view.Dataset?.Id)
                .Select(record => record.Path)
                .Concat(
                    records.SelectMany(record =>
                        record
                            .Shape.Members.Where(member =>
                                member.Value is FormulaType.Record { Shape: var inner }
                                && Run.Scope.Shapes.Of(inner).Dataset.Id == view.Dataset?.Id
                            )
                            .Select(member => $"{record.Path}.{Formatter.Name(member.Key)}")
                    )
                )
            : records.SelectMany(record =>
                record
                    .Shape.Members.Where(member =>
                        member.Value is FormulaType.List { Element: FormulaType.Record { Shape: var inner } }
                        && Run.Scope.Shapes.Of(inner).Dataset.Id == view.Dataset?.Id
                    )
                    .Select(member => $"{record.Path}.{Formatter.Name(member.Key)}")
            );
    }

    public IEnumerable<(string Value, string Label)> Named(SettingView view, NamedThing thing) =>
        thing switch
        {
            NamedThing.Page => App.Draft.Pages.Select(page => (page.Address, page.Name)),
            NamedThing.Opening => Current.All.Where(panel => panel.Opens).Select(panel => (panel.Name, panel.Name)),
            NamedThing.Table => Current.All.OfType<TablePanel>().Select(panel => (panel.Name, panel.Name)),
            NamedThing.Input => Current.All.OfType<InputPanel>().Select(panel => (panel.Name, panel.Name)),
            NamedThing.Workflow => _workspace
                .SetOffBy<Core.Workflows.Triggers.OnDemand>()
                .Select(known => (known.Workflow.Name, known.Workflow.Live.Label)),
            NamedThing.SavingWorkflow => _workspace
                .SetOffBy<Core.Workflows.Triggers.InPlaceOfSave>()
                .Where(known => known.Trigger.Dataset == view.Dataset?.Id)
                .Select(known => (known.Workflow.Name, known.Workflow.Live.Label)),
            _ => [],
        };
}
