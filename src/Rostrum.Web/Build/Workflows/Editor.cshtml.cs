using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;
using Rostrum.Web.Build.Composer;
using Rostrum.Web.Build.Composer.Settings;
using Rostrum.Web.Build.Data;
using Rostrum.Web.People;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Workflows;

/// <summary>Where a builder writes a workflow: its steps as a flow, and the Dock.</summary>
internal sealed class EditorModel(WorkflowDrafts drafts, WorkspaceCache workspaces, CurrentPerson person, RostrumStore store)
    : PageModel,
        ISettingHost
{
    /// <summary>What is selected where it is the trigger.</summary>
    public const string AtTrigger = "trigger";

    private Workspace _workspace = null!;

    public StoredWorkflow Stored { get; private set; } = null!;

    public Workflow Draft => Stored.Draft;

    public WorkflowScope Scope { get; private set; } = null!;

    public DatasetCatalogue Catalogue => _workspace.Datasets;

    public ImmutableArray<WorkflowProblem> Problems { get; private set; } = [];

    public (string? Undo, string? Redo) Possible { get; private set; }

    /// <summary>The changes since the live version.</summary>
    public int Changes { get; private set; }

    /// <summary>What is selected: a step's identity, the trigger, or blank for the workflow itself.</summary>
    public string At { get; private set; } = "";

    public FlowStep? Selected => Draft.Find(At);

    public string Part { get; private set; } = "content";

    public string? Said { get; private set; }

    /// <summary>The Dock is drawn anew as well.</summary>
    public bool WithDock { get; private set; } = true;

    public ImmutableArray<RoleEntry> Roles => _workspace.Roles;

    public IEnumerable<(DatasetId Id, string Label)> Datasets => _workspace.Labelled(Catalogue.All.Where(dataset => !dataset.IsStatement));

    public IEnumerable<(DatasetId Id, string Label)> Statements => _workspace.Labelled(Catalogue.All.Where(dataset => dataset.IsStatement));

    public string Here => $"/build/workflows/{Stored.Name}";

    /// <summary>The kinds of steps that can stand in it.</summary>
    public IEnumerable<StepKind> Kinds => StepKind.For(Draft.Trigger.IsWithinSave ? StepPlaces.Save : StepPlaces.Workflow);

    public string Address(string? handler = null, params (string Name, string? Value)[] more) =>
        QueryHelpers.AddQueryString(
            Here,
            new (string Name, string? Value)[] { ("at", At.Length == 0 ? null : At), ("part", Part), ("handler", handler) }
                .Concat(more)
                .Where(pair => pair.Value is not null)
                .Select(pair => KeyValuePair.Create(pair.Name, pair.Value))
        );

    public IEnumerable<WorkflowProblem> ProblemsOf(string? step) => Problems.Where(problem => problem.Step == step);

    /// <summary>A line that says what a step does, as it is set.</summary>
    public string Summary(FlowStep step) => StepSummary.Of(step.Does, Catalogue, Named);

    public async Task<IActionResult> OnGetAsync(string name, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        SayRevision();
        return Request.IsPartial() ? Partial("/Build/Workflows/_Edited.cshtml", this) : Page();
    }

    /// <summary>Sets something of what is selected.</summary>
    public async Task<IActionResult> OnPostSetAsync(string name, string key, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        var (of, settings) = Of(Draft);
        WithDock = settings.FirstOrDefault(setting => setting.Key == key) is { } changed && SettingInput.Of(changed.Kind).RedrawsDock;
        var label = settings.FirstOrDefault(setting => setting.Key == key)?.Label ?? key;
        var form = Request.Form;
        return await EditAsync(
            workflow =>
            {
                var (known, all) = Of(workflow);
                var after = SettingInput
                    .Read(known, all, key, form)
                    .Aggregate(known, (one, said) => said.Setting.Set(one, said.Text) ?? one);
                return With(workflow, after);
            },
            $"{label} of {Word()}",
            cancellation
        );
    }

    /// <summary>A field of a list up or down.</summary>
    public async Task<IActionResult> OnPostOrderAsync(string name, string key, string field, int by, CancellationToken cancellation) =>
        await LoadAsync(name, cancellation)
            ? await EditAsync(
                workflow =>
                {
                    var (of, settings) = Of(workflow);
                    return settings.FirstOrDefault(setting => setting.Key == key) is { } setting
                        ? With(workflow, setting.Set(of, FieldsInput.Moved(setting.Get(of), field, by)) ?? of)
                        : workflow;
                },
                $"order of {Word()}",
                cancellation
            )
            : NotFound();

    public async Task<IActionResult> OnPostTriggerAsync(string name, string kind, CancellationToken cancellation) =>
        await LoadAsync(name, cancellation) && TriggerKind.Find(kind) is { } chosen
            ? await EditAsync(
                workflow =>
                    workflow.Trigger.Kind == chosen ? workflow
                    : (workflow.Trigger, chosen.Make()) is (RecordTrigger before, RecordTrigger after)
                        ? workflow with
                        {
                            Trigger = after with
                            {
                                Dataset = before.Dataset,
                                Added = before.Added,
                                Changed = before.Changed,
                                Deleted = before.Deleted,
                                Fields = before.Fields,
                                Condition = before.Condition,
                            },
                        }
                    : workflow with { Trigger = chosen.Make() },
                $"trigger: {chosen.Label}",
                cancellation
            )
            : NotFound();

    public async Task<IActionResult> OnPostAddAsync(
        string name,
        string kind,
        string? within,
        int block,
        int place,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(name, cancellation) || StepKind.Find(kind) is not { } chosen || !Kinds.Contains(chosen))
        {
            return NotFound();
        }

        var step = WorkflowEdit.Fresh(Draft, Ready(chosen.Make()));
        At = step.Id;
        Part = "content";
        return await EditAsync(
            workflow =>
                WorkflowEdit.Insert(
                    workflow,
                    workflow.Find(step.Id) is null ? step : WorkflowEdit.Fresh(workflow, step.Does),
                    new StepPosition(within, block, place)
                ),
            $"{chosen.Label} added",
            cancellation
        );
    }

    /// <summary>Something about a step: up, down, remove, duplicate, off, note, name.</summary>
    public async Task<IActionResult> OnPostStepAsync(string name, string step, string does, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation) || Draft.Find(step) is not { } known)
        {
            return NotFound();
        }

        var said = Request.Form["said"].ToString().Trim();
        WithDock = does is not "note";
        if (does == "remove" && known.All.Any(inner => inner.Id == At))
        {
            At = "";
        }

        return await EditAsync(
            workflow =>
                does switch
                {
                    "up" => WorkflowEdit.Shift(workflow, step, -1),
                    "down" => WorkflowEdit.Shift(workflow, step, 1),
                    "remove" => WorkflowEdit.Remove(workflow, step),
                    "duplicate" => WorkflowEdit.Duplicate(workflow, step),
                    "off" => WorkflowEdit.Change(workflow, step, one => one with { IsOff = !one.IsOff }),
                    "note" => WorkflowEdit.Change(workflow, step, one => one with { Note = Setting.Blank(said) }),
                    "name" => WorkflowEdit.Rename(ScopeOf(workflow), step, said),
                    _ => workflow,
                },
            $"{WorkflowComparison.NameOf(known)}: {does}",
            cancellation
        );
    }

    /// <summary>A step from here or from another workflow, elsewhere: a copy, or the step itself.</summary>
    public async Task<IActionResult> OnPostPasteAsync(
        string name,
        string from,
        string step,
        bool move,
        string? within,
        int block,
        int place,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        var position = new StepPosition(within, block, place);
        if (move && from == name)
        {
            return await EditAsync(workflow => WorkflowEdit.Move(workflow, step, position), "step moved", cancellation);
        }

        var source = from == name ? Draft : (await drafts.FindAsync(from, cancellation))?.Draft;
        return source?.Find(step) is { } copied
            ? await EditAsync(
                workflow => WorkflowEdit.Paste(workflow, copied, position),
                $"{WorkflowComparison.NameOf(copied)} pasted",
                cancellation
            )
            : await SaidAsync("The step that was copied is no longer there.", cancellation);
    }

    public async Task<IActionResult> OnPostUndoAsync(string name, CancellationToken cancellation) =>
        await BackAsync(name, false, cancellation);

    public async Task<IActionResult> OnPostRedoAsync(string name, CancellationToken cancellation) =>
        await BackAsync(name, true, cancellation);

    /// <summary>Puts the proposed correction of a problem into its setting.</summary>
    public async Task<IActionResult> OnPostCorrectAsync(string name, string? step, string key, string text, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        At = step ?? AtTrigger;
        return await EditAsync(
            workflow =>
            {
                var (of, settings) = Of(workflow);
                return settings.FirstOrDefault(setting => setting.Key == key) is { } setting
                    ? With(workflow, setting.Set(of, text) ?? of)
                    : workflow;
            },
            $"{Word()} corrected",
            cancellation
        );
    }

    public (string? Now, CheckedFormula? Formula, string? Problem) Present(SettingView view)
    {
        if (view.Setting.Kind.Formulas(view.Text).FirstOrDefault() is not { } place)
        {
            return (null, null, null);
        }

        var at = Selected?.Id ?? WorkflowScope.AtTrigger;
        place = Selected is { } step ? WorkflowScope.Meant(step.Does, place) : place;
        var formula = Scope.Check(at, place);
        return Scope.Problem(at, place, formula) is { } problem ? (null, formula, problem)
            : formula.Tree is { Type: var type } ? ($"Gives: {type.Word}", formula, null)
            : (null, formula, null);
    }

    public IEnumerable<string> Offers(SettingView view) =>
        Selected is null || view.Dataset is null
            ? []
            : FormulaCompletion
                .Names(new FormulaShape("", Scope.NamesAt(Selected.Id).Names.Types))
                .Where(known => Scope.Types.Members.Record(view.Dataset.Id) is { } wanted && known.Type.Serves(wanted))
                .Select(known => known.Name);

    public IEnumerable<(string Value, string Label)> Named(SettingView view, NamedThing thing) => Named(thing);

    /// <summary>What the formula inputs offer while one types.</summary>
    public string FormulaOffers()
    {
        var names = Scope.NamesAt(Selected?.Id ?? WorkflowScope.AtTrigger).Names.Types;
        var offers = names.SelectMany(name =>
            FormulaCompletion
                .Names(new FormulaShape("", [name]))
                .SelectMany(known =>
                    known.Type is FormulaType.Record { Shape: var shape }
                        ? shape
                            .Members.Select(member => ($"{known.Name}.{Formatter.Name(member.Key)}", member.Value))
                            .Prepend((known.Name, known.Type))
                        : [(known.Name, known.Type)]
                )
        );
        var own =
            Selected?.Does.Of is { } of && Catalogue.Find(of) is { } dataset
                ? FormulaCompletion
                    .Names(Scope.Types.Shapes.Of(dataset).Shape)
                    .Select(known => FormulaOffer.OfName(known.Name, known.Type, $"of each {dataset.RecordLabel}"))
                : [];
        return JsonSerializer.Serialize(
            offers
                .Select(known => FormulaOffer.OfName(known.Item1, known.Item2, null))
                .Concat(own)
                .DistinctBy(offer => offer.Label)
                .Concat(FormulaCompletion.Functions),
            JsonSerializerOptions.Web
        );
    }

    /// <summary>What is selected, with what can be said of it.</summary>
    public (object Of, ImmutableArray<Setting> Settings) Of(Workflow workflow) =>
        At == AtTrigger ? (workflow.Trigger, workflow.Trigger.Kind.Settings)
        : workflow.Find(At) is { } step ? (step.Does, step.Does.Kind.Settings)
        : (workflow, WorkflowSettings.All);

    private Workflow With(Workflow workflow, object of) =>
        of switch
        {
            Trigger trigger => workflow with { Trigger = trigger },
            Step does => WorkflowEdit.Change(workflow, At, step => step with { Does = does }),
            _ => (Workflow)of,
        };

    private IEnumerable<(string Value, string Label)> Named(NamedThing thing) =>
        thing switch
        {
            NamedThing.Secret => _workspace.Secrets.Keys.Order(StringComparer.Ordinal).Select(secret => (secret, secret)),
            NamedThing.Role => _workspace.Roles.Select(role => (role.Name, role.Label)),
            NamedThing.Api => _workspace
                .Sources.Values.Where(source => source.Kind == "http")
                .OrderBy(source => source.Name, StringComparer.Ordinal)
                .Select(source => (source.Id.ToString(), source.Name)),
            NamedThing.Workflow => _workspace
                .Workflows.Where(known => known.Live.Trigger is OnDemand && known.Name != Stored.Name)
                .Select(known => (known.Name, known.Live.Label)),
            NamedThing.InnerStep => Selected is { } loop
                ? loop
                    .All.Skip(1)
                    .Where(step => Scope.ResultOf(step.Id) is not null)
                    .Select(step => (step.Id, WorkflowComparison.NameOf(step)))
                : [],
            NamedThing.TriggerField => Draft.Trigger is BeforeSave { Dataset: { } of } && Catalogue.Find(of) is { } dataset
                ? dataset.Fields.Where(field => field.IsWritten).Select(field => (field.Name.Value, dataset.LabelOf(field.Name)))
                : [],
            _ => [],
        };

    // What a step nearly always is about.
    private Step Ready(Step step) =>
        (step, Draft.Trigger) switch
        {
            (AmendValues amend, RecordTrigger { Dataset: { } dataset }) => amend with { Dataset = dataset },
            (UpdateRecord update, AfterSave { Dataset: { } dataset }) => update with { Dataset = dataset, Record = "trigger.record" },
            (ForEach loop, InPlaceOfSave) => loop with { List = "trigger.changed" },
            (Notify notify, AfterSave) => notify with { About = "trigger.record" },
            (SignOff signOff, AfterSave) => signOff with { About = "trigger.record" },
            _ => step,
        };

    private string Word() =>
        Selected is { } step ? WorkflowComparison.NameOf(step)
        : At == AtTrigger ? "the trigger"
        : "the workflow";

    private async Task<IActionResult> BackAsync(string name, bool redo, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        var said = await drafts.StepBackAsync(Stored.Id, redo, cancellation);
        return await SaidAsync(said is null ? null : $"{(redo ? "Done again" : "Undone")}: {said}", cancellation);
    }

    private async Task<IActionResult> EditAsync(Func<Workflow, Workflow> edit, string said, CancellationToken cancellation)
    {
        await drafts.EditAsync(Stored.Id, edit, said, await person.NameAsync(cancellation), cancellation);
        return await SaidAsync(null, cancellation);
    }

    private async Task<IActionResult> SaidAsync(string? said, CancellationToken cancellation)
    {
        // Somebody else, or another request of one's own, may have changed it at the same moment.
        Stored = (await drafts.FindAsync(Stored.Name, cancellation))!;
        SayRevision();
        await LookAsync(cancellation);
        Said = said;
        if (At.Length > 0 && At != AtTrigger && Selected is null)
        {
            (At, WithDock) = ("", true);
        }

        return Request.IsPartial() ? Partial("/Build/Workflows/_Edited.cshtml", this) : Redirect(Address());
    }

    private void SayRevision() =>
        Response.Headers["Draft-Revision"] = Stored.Revision.ToString(System.Globalization.CultureInfo.InvariantCulture);

    private async Task<bool> LoadAsync(string name, CancellationToken cancellation)
    {
        _workspace = await workspaces.GetAsync(cancellation);
        if (await drafts.FindAsync(name, cancellation) is not { } stored)
        {
            return false;
        }

        Stored = stored;
        At = Request.Query["at"].ToString();
        if (At != AtTrigger && Draft.Find(At) is null)
        {
            At = "";
        }

        Part = Request.Query["part"].ToString() is "behaviour" or "problems" ? Request.Query["part"].ToString() : "content";
        await LookAsync(cancellation);
        return true;
    }

    private async Task LookAsync(CancellationToken cancellation)
    {
        Scope = ScopeOf(Draft);
        Problems = WorkflowProblems.Of(Stored.Name, Draft, Catalogue, await drafts.AroundAsync(cancellation), _workspace.Anybody);
        Possible = await drafts.PossibleAsync(Stored.Id, cancellation);
        Changes =
            Stored.LiveVersion is { } version
            && await store
                .WorkflowVersions.AsNoTracking()
                .FirstOrDefaultAsync(known => known.WorkflowId == Stored.Id && known.Number == version, cancellation)
                is { } live
                ? WorkflowComparison.Of(live.Definition, Draft).Length
                : 0;
    }

    private WorkflowScope ScopeOf(Workflow workflow) =>
        new(workflow, Catalogue, DatasetShapes.Of(Catalogue, Grants.ViewEverything), _workspace.Anybody);
}
