using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.People.Directory;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Data;

/// <summary>What each role may do with a table's records, which of them, and why a person may or may not.</summary>
internal sealed class AccessModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    RecordGate gate,
    AccessEffects effects,
    CurrentPerson person,
    RecordFormat format
) : DatasetPage(store, workspaces, format)
{
    public static readonly (Verbs Verb, string Word)[] EachVerb =
    [
        (Verbs.View, "View"),
        (Verbs.Create, "Add"),
        (Verbs.Update, "Change"),
        (Verbs.Delete, "Delete"),
    ];

    /// <summary>What roles may do with it.</summary>
    public IEnumerable<(Verbs Verb, string Word)> Possible => Dataset.IsStatement ? [(Verbs.Update, "Run")] : EachVerb;

    public ImmutableArray<StoredPolicy> Policies { get; private set; } = [];

    public ImmutableArray<(Guid Id, string Name)> People { get; private set; } = [];

    /// <summary>The role whose rights are being changed; null where none are.</summary>
    public RoleEntry? Changing { get; private set; }

    public StoredPolicy? Policy { get; private set; }

    /// <summary>The verbs as they are ticked.</summary>
    public Verbs Ticked { get; private set; }

    public ConditionForm Reads { get; private set; } = ConditionForm.Of("reads", null);

    public ConditionForm Writes { get; private set; } = ConditionForm.Of("writes", null);

    public ImmutableHashSet<string> HiddenFields { get; private set; } = [];

    /// <summary>Whose rights are asked after; null where nobody's are.</summary>
    public PersonEntry? Asked { get; private set; }

    public Guid AskedId { get; private set; }

    /// <summary>The record that is asked after, as its key is written.</summary>
    public string AskedRecord { get; private set; } = "";

    public string? AskedTitle { get; private set; }

    public ImmutableArray<Decision> Decisions { get; private set; } = [];

    public Grant? AskedGrant { get; private set; }

    /// <summary>How far the rights reach that are being changed, for somebody with that role alone and nothing of their own.</summary>
    public string? Reach { get; private set; }

    /// <summary>Who gains and who loses what by the rights that are about to be saved; null where that was not asked yet.</summary>
    public Consequences? Consequences { get; private set; }

    /// <summary>Whoever looks may set rights, and not only read who has which.</summary>
    public bool MaySet { get; private set; }

    public string Address => $"{Here}/access";

    public string LabelOfRole(string role) => Roles.FirstOrDefault(entry => entry.Name == role)?.Label ?? role;

    /// <summary>What is wrong with a condition; null where nothing is.</summary>
    public string? ProblemOf(string condition) => RecordGate.ProblemOf(Source.Kind, Catalogue, Dataset, condition, Anybody);

    public async Task<IActionResult> OnGetAsync(
        Guid id,
        Guid table,
        string? role,
        Guid? person,
        string? record,
        CancellationToken cancellation
    )
    {
        if (!await LoadAccessAsync(id, table, role, cancellation))
        {
            return NotFound();
        }

        if (Policy is not null)
        {
            (Ticked, Reads, Writes, HiddenFields) = (
                Policy.Verbs,
                ConditionForm.Of("reads", Policy.Condition),
                ConditionForm.Of("writes", Policy.WriteCondition),
                [.. Policy.HiddenFields]
            );
        }

        if (Changing is not null && !Dataset.IsStatement)
        {
            await MeasureAsync(cancellation);
        }

        await AskAsync(person, record, cancellation);
        return Page();
    }

    public async Task<IActionResult> OnPostEditAsync(Guid id, Guid table, string role, CancellationToken cancellation)
    {
        if (!await LoadAccessAsync(id, table, role, cancellation) || Changing is null)
        {
            return NotFound();
        }

        ReadForms();
        await MeasureAsync(cancellation);
        return Request.IsPartial() ? Partial("/Build/Data/_Policy.cshtml", this) : Page();
    }

    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, string role, CancellationToken cancellation)
    {
        if (!await LoadAccessAsync(id, table, role, cancellation) || Changing is null)
        {
            return NotFound();
        }

        if (!MaySet)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        ReadForms();
        var ((reads, readsProblem), (writes, writesProblem)) = (Reads.Formula(PickShape), Writes.Formula(PickShape));
        Refusal = readsProblem ?? writesProblem ?? (reads is null ? null : ProblemOf(reads)) ?? (writes is null ? null : ProblemOf(writes));
        if (Refusal is not null)
        {
            return Page();
        }

        var wanted = new StoredPolicy
        {
            Role = Changing.Name,
            DatasetId = Dataset.Id.Value,
            Verbs = Ticked,
            Condition = reads,
            WriteCondition = writes,
            HiddenFields = [.. HiddenFields.Order(StringComparer.Ordinal)],
        };
        Consequences = await Consequences.ToShowAsync(
            Request.Form,
            [$"{wanted.Verbs}", wanted.Condition, wanted.WriteCondition, .. wanted.HiddenFields],
            async () => await effects.OfPolicyAsync(await WorkspaceAsync(cancellation), wanted.AsPolicy(), cancellation)
        );
        if (Consequences is not null)
        {
            return Page();
        }

        var stored = await Store.Policies.FindAsync([Changing.Name, Dataset.Id.Value], cancellation);
        if (stored is null)
        {
            Store.Policies.Add(wanted);
        }
        else
        {
            (stored.Verbs, stored.Condition, stored.WriteCondition, stored.HiddenFields) = (
                wanted.Verbs,
                wanted.Condition,
                wanted.WriteCondition,
                wanted.HiddenFields
            );
        }

        await Store.SaveChangesAsync(cancellation);
        TempData["said"] = $"The rights of {Changing.Label} hold from now on, in every app.";
        return Redirect(Address);
    }

    private async Task MeasureAsync(CancellationToken cancellation)
    {
        Offers = await FormulaCompletion.JsonAsync(this, gate, null, cancellation);
        var (reads, readsProblem) = Reads.Formula(PickShape);
        var (writes, writesProblem) = Writes.Formula(PickShape);
        string[] conditions = [.. new[] { reads, writes }.OfType<string>()];
        if ((readsProblem ?? writesProblem) is { } problem)
        {
            Reach = problem;
        }
        else if (conditions.All(condition => ProblemOf(condition) is null))
        {
            Reach = conditions.Any(condition => condition.Contains("user", StringComparison.OrdinalIgnoreCase))
                ? "The records depend on who is signed in."
                : await ReachAsync(Holds(reads), Holds(writes), cancellation);
        }

        static Filter Holds(string? condition) => condition is null ? new Filter.Everything() : new Filter.Holds(condition);
    }

    private async Task<string?> ReachAsync(Filter reads, Filter writes, CancellationToken cancellation)
    {
        if (await CountAsync(new Filter.Everything()) is not { } all || await CountAsync(reads) is not { } seen)
        {
            return null;
        }

        var said = $"That is {seen} of {all} {Dataset.LabelInSentence}.";
        return writes is Filter.Everything || await CountAsync(Filter.Both(reads, writes)) is not { } changed
            ? said
            : said + $" Of those, {changed} may be changed.";

        async Task<string?> CountAsync(Filter condition)
        {
            var policy = Core.Access.Policy.On("probe", Dataset.Id, Verbs.View) with { Condition = condition };
            var request = new ReadRequest(Dataset.Id) { Window = new PageWindow.FromStart(0, 1), Counted = true };
            var own = Grants.Of(new HashSet<string> { "probe" }, [policy], null);
            return await gate.ReadAsync(Catalogue, request, own, cancellation) is ReadResult.Rows { Count: { } count }
                ? count.Said(Format.Culture)
                : null;
        }
    }

    private void ReadForms()
    {
        var form = Request.Form;
        Ticked = Possible.Where(verb => form.ContainsKey($"verb.{verb.Verb}")).Aggregate(Verbs.None, (all, verb) => all | verb.Verb);
        (Reads, Writes) = (ConditionForm.Posted("reads", form, PickShape), ConditionForm.Posted("writes", form, PickShape));
        HiddenFields = [.. form["hide"].OfType<string>().Where(name => Dataset.Find(new FieldName(name)) is not null)];
    }

    private async Task AskAsync(Guid? person, string? record, CancellationToken cancellation)
    {
        var workspace = await WorkspaceAsync(cancellation);
        if (person is not { } id || !workspace.People.TryGetValue(id, out var entry))
        {
            return;
        }

        (Asked, AskedId, AskedRecord) = (entry, id, record?.Trim() ?? "");
        var key = AskedRecord.Length == 0 ? null : RecordKey.Parse(Dataset, AskedRecord);
        if (key is not null)
        {
            AskedTitle = await gate.ReadAsync(Catalogue, ReadRequest.Of(Dataset, key), Builder, cancellation)
                is ReadResult.Rows { Records: [var found] }
                ? found.Title
                : null;
        }

        Decisions = await gate.DecideAsync(
            Catalogue,
            Dataset,
            AskedTitle is null ? null : key,
            entry.Roles,
            workspace.Policies,
            entry.AsUser,
            cancellation
        );
        AskedGrant = Grants.Of(entry.Roles, workspace.Policies, entry.AsUser).For(Dataset.Id);
    }

    private async Task<bool> LoadAccessAsync(Guid id, Guid table, string? role, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return false;
        }

        MaySet = await person.MayAsync(WorkspacePermissions.ManageRights, cancellation);
        var workspace = await WorkspaceAsync(cancellation);
        People =
        [
            .. workspace.People.Select(pair => (pair.Key, pair.Value.Name)).OrderBy(pair => pair.Name, StringComparer.CurrentCulture),
        ];
        Policies = [.. await Store.Policies.AsNoTracking().Where(policy => policy.DatasetId == Dataset.Id.Value).ToListAsync(cancellation)];
        Changing = role is null ? null : Roles.FirstOrDefault(entry => entry.Name == role);
        Policy = Changing is null ? null : Policies.FirstOrDefault(policy => policy.Role == Changing.Name);
        return role is null || Changing is not null;
    }
}
