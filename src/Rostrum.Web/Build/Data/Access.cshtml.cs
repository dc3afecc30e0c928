using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
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
    PersonRecords records,
    CurrentPerson person,
    RecordFormat format
) : DatasetPage(store, workspaces, format)
{
    public static readonly (Verbs Verb, string Word)[] EachVerb =
    [
        .. RightWords.Words.Select(known => (known.Verb, char.ToUpperInvariant(known.Word[0]) + known.Word[1..])),
    ];

    private const int Sampled = 3;

    private static readonly (Verbs Verb, string Label, string Prefix)[] ConditionLabels =
    [
        (Verbs.View, "Sees only records where (all, if nothing is picked)", "reads"),
        (Verbs.Create, "Of those, adds only where", "creates"),
        (Verbs.Update, "Of those, changes only where", "updates"),
        (Verbs.Delete, "Of those, deletes only where", "deletes"),
        (Verbs.Download, "Of those, downloads only where", "downloads"),
        (Verbs.RunActions, "Of those, runs actions only where", "runs"),
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

    /// <summary>For each verb the records that are meant: those that are seen, and among these what each other verb applies to.</summary>
    public ImmutableArray<(Verbs Verb, string Label, ConditionForm Form)> Conditions { get; private set; } = [];

    /// <summary>What the role may do with each field.</summary>
    public ImmutableDictionary<string, FieldRight> FieldRights { get; private set; } = ImmutableDictionary<string, FieldRight>.Empty;

    /// <summary>What a role may do with one field.</summary>
    public enum FieldRight
    {
        /// <summary>Read it, and write it where records may be written.</summary>
        Writable,

        /// <summary>Read it, and set it in a new record alone.</summary>
        NewOnly,

        /// <summary>Read it.</summary>
        ReadOnly,

        /// <summary>It is not there.</summary>
        Hidden,
    }

    /// <summary>What a role may be allowed to do with a field: one that nobody writes is there or not.</summary>
    public static IEnumerable<(FieldRight Right, string Word)> RightsTo(Field field) =>
        field.IsWritten
            ?
            [
                (FieldRight.Writable, "writable"),
                (FieldRight.NewOnly, "writable in new records"),
                (FieldRight.ReadOnly, "read-only"),
                (FieldRight.Hidden, "hidden"),
            ]
            : [(FieldRight.Writable, "visible"), (FieldRight.Hidden, "hidden")];

    /// <summary>What rights can be begun with, by the name in the address.</summary>
    public IEnumerable<(string Name, string Label)> Beginnings =>
        [
            ("reads", "Reads all"),
            .. OwnFields().Select(own => ($"own:{own}", $"Edits own, by {Dataset.LabelOf(own)}")),
            ("edits", "Edits all"),
            .. Policies
                .Where(policy => policy.Role != Changing?.Name)
                .Select(policy => ($"role:{policy.Role}", $"As {LabelOfRole(policy.Role)}")),
        ];

    /// <summary>Whose rights are asked after; null where nobody's are.</summary>
    public PersonEntry? Asked { get; private set; }

    public Guid AskedId { get; private set; }

    /// <summary>The record that is asked after, as its key is written.</summary>
    public string AskedRecord { get; private set; } = "";

    public string? AskedTitle { get; private set; }

    public ImmutableArray<Decision> Decisions { get; private set; } = [];

    public Grant? AskedGrant { get; private set; }

    /// <summary>How far the rights reach that are being changed, for somebody with that role alone and nothing of their own.</summary>
    public ImmutableArray<string> Reach { get; private set; } = [];

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

        Show(Beginning(Request.Query["from"].ToString()) ?? Policy);

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
        var formulas = Conditions.ToDictionary(condition => condition.Verb, condition => condition.Form.Formula(PickShape));
        Refusal = formulas.Values.Select(answer => answer.Problem).FirstOrDefault(problem => problem is not null)
            ?? formulas
                .Values.Select(answer => answer.Formula)
                .OfType<string>()
                .Select(ProblemOf)
                .FirstOrDefault(problem => problem is not null);
        if (Refusal is not null)
        {
            return Page();
        }

        var wanted = new StoredPolicy
        {
            Role = Changing.Name,
            DatasetId = Dataset.Id.Value,
            Verbs = Ticked,
            Condition = formulas[Verbs.View].Formula,
            CreateCondition = formulas[Verbs.Create].Formula,
            UpdateCondition = formulas[Verbs.Update].Formula,
            DeleteCondition = formulas[Verbs.Delete].Formula,
            DownloadCondition = formulas[Verbs.Download].Formula,
            RunCondition = formulas[Verbs.RunActions].Formula,
            HiddenFields = Fields(FieldRight.Hidden),
            ReadOnlyFields = Fields(FieldRight.ReadOnly),
            NewOnlyFields = Fields(FieldRight.NewOnly),
        };
        Consequences = await Consequences.ToShowAsync(Request.Form, wanted.Said, async () =>
            await effects.OfPolicyAsync(await WorkspaceAsync(cancellation), wanted.AsPolicy(), cancellation)
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
            stored.Take(wanted);
        }

        await Store.SaveChangesAsync(cancellation);
        TempData["said"] = $"The rights of {Changing.Label} hold from now on, in every app.";
        return Redirect(Address);
    }

    // How many records each condition lets through, for somebody with that role alone and nothing of their own.
    private async Task MeasureAsync(CancellationToken cancellation)
    {
        Offers = await FormulaCompletion.JsonAsync(this, gate, null, cancellation);
        var answers = Conditions.Select(condition => (condition.Verb, Answer: condition.Form.Formula(PickShape))).ToArray();
        var formulas = answers.Select(answer => answer.Answer.Formula).OfType<string>().ToArray();
        if (answers.Select(answer => answer.Answer.Problem).FirstOrDefault(problem => problem is not null) is { } problem)
        {
            Reach = [problem];
        }
        else if (formulas.All(formula => ProblemOf(formula) is null))
        {
            Reach = formulas.Any(formula => formula.Contains("user", StringComparison.OrdinalIgnoreCase))
                ? ["The records depend on who is signed in: see them under View as."]
                : [.. await ReachAsync(answers.ToDictionary(answer => answer.Verb, answer => Holds(answer.Answer.Formula)), cancellation)];
        }

        static Filter Holds(string? condition) => condition is null ? new Filter.Everything() : new Filter.Holds(condition);
    }

    private async Task<List<string>> ReachAsync(Dictionary<Verbs, Filter> conditions, CancellationToken cancellation)
    {
        var lines = new List<string>();
        if (await ReadAsync(new Filter.Everything()) is not { } all || await ReadAsync(conditions[Verbs.View]) is not { } seen)
        {
            return lines;
        }

        lines.Add(
            conditions[Verbs.View] is Filter.Everything
                ? $"It sees all {all.Count} {Dataset.LabelInSentence}."
                : $"It sees {seen.Count} of {all.Count} {Dataset.LabelInSentence}{seen.Sample}."
        );
        (Verbs Verb, string Word)[] others =
        [
            (Verbs.Update, "changed"),
            (Verbs.Delete, "deleted"),
            (Verbs.Download, "downloaded"),
            (Verbs.RunActions, "used with actions"),
        ];
        foreach (var (verb, word) in others)
        {
            if (
                Ticked.HasFlag(verb)
                && conditions[verb] is not Filter.Everything
                && await ReadAsync(Filter.Both(conditions[Verbs.View], conditions[verb])) is { } met
            )
            {
                lines.Add($"Of those, {met.Count} may be {word}{met.Sample}.");
            }
        }

        return lines;

        async Task<(string Count, string Sample)?> ReadAsync(Filter condition)
        {
            var policy = Core.Access.Policy.On("probe", Dataset.Id, Verbs.View) with { Condition = condition };
            var request = new ReadRequest(Dataset.Id) { Window = new PageWindow.FromStart(0, Sampled), Counted = true };
            var own = Grants.Of(new HashSet<string> { "probe" }, [policy], null);
            if (await gate.ReadAsync(Catalogue, request, own, cancellation) is not ReadResult.Rows { Count: { } count } rows)
            {
                return null;
            }

            var titles = rows.Records.Select(record => record.Title).Where(title => title.Length > 0).ToArray();
            return (count.Said(Format.Culture), titles.Length == 0 ? "" : $", such as {string.Join(", ", titles)}");
        }
    }

    // Fields that may hold who somebody is.
    private IEnumerable<FieldName> OwnFields() =>
        Dataset
            .Fields.Where(field =>
                field is { Formula: null, Type: FieldType.Text }
                && (
                    field.Name.Value.EndsWith("_by", StringComparison.OrdinalIgnoreCase)
                    || field.Name.Value is "owner" or "email" or "author" or "assignee"
                )
            )
            .Select(field => field.Name);

    private StoredPolicy? Beginning(string from)
    {
        if (Changing is null || from.Length == 0)
        {
            return null;
        }

        var empty = new StoredPolicy { Role = Changing.Name, DatasetId = Dataset.Id.Value };
        if (from.StartsWith("role:", StringComparison.Ordinal))
        {
            if (Policies.FirstOrDefault(policy => policy.Role == from["role:".Length..]) is { } other)
            {
                empty.Take(other);
            }

            return empty;
        }

        (empty.Verbs, var own) =
            from == "edits" ? (Verbs.All, null)
            : OwnFields().FirstOrDefault(field => from == $"own:{field}") is { Value: not null } field
                ? (Verbs.All & ~Verbs.Delete, $"{Formatter.Name(field.Value)} = user.{(field.Value == "email" ? "email" : "name")}")
            : (Verbs.View | Verbs.Download | Verbs.ReadNotes, (string?)null);
        (empty.CreateCondition, empty.UpdateCondition) = (own, own);
        return empty;
    }

    private void Show(StoredPolicy? policy)
    {
        Ticked = policy?.Verbs ?? Verbs.None;
        Conditions =
        [
            .. ConditionLabels.Select(known =>
                (
                    known.Verb,
                    known.Label,
                    ConditionForm.Of(
                        known.Prefix,
                        known.Verb is Verbs.View ? policy?.Condition : policy?.Narrower.GetValueOrDefault(known.Verb)
                    )
                )
            ),
        ];
        FieldRights = (policy?.NewOnlyFields ?? [])
            .Select(field => (field, FieldRight.NewOnly))
            .Concat((policy?.ReadOnlyFields ?? []).Select(field => (field, FieldRight.ReadOnly)))
            .Concat((policy?.HiddenFields ?? []).Select(field => (field, FieldRight.Hidden)))
            .GroupBy(pair => pair.field)
            .ToImmutableDictionary(pair => pair.Key, pair => pair.Max(one => one.Item2));
    }

    private string[] Fields(FieldRight right) =>
        [.. FieldRights.Where(pair => pair.Value == right).Select(pair => pair.Key).Order(StringComparer.Ordinal)];

    private void ReadForms()
    {
        var form = Request.Form;
        Ticked = Possible.Where(verb => form.ContainsKey($"verb.{verb.Verb}")).Aggregate(Verbs.None, (all, verb) => all | verb.Verb);
        Conditions = [.. ConditionLabels.Select(known => (known.Verb, known.Label, ConditionForm.Posted(known.Prefix, form, PickShape)))];
        FieldRights = Dataset
            .Fields.Select(field =>
                (
                    Name: field.Name.Value,
                    Right: Enum.TryParse<FieldRight>(form[$"field.{field.Name}"], out var right) ? right : FieldRight.Writable
                )
            )
            .Where(pair => pair.Right is not FieldRight.Writable)
            .ToImmutableDictionary(pair => pair.Name, pair => pair.Right);
    }

    private async Task AskAsync(Guid? person, string? record, CancellationToken cancellation)
    {
        var workspace = await WorkspaceAsync(cancellation);
        if (person is not { } id || !workspace.People.TryGetValue(id, out var entry))
        {
            return;
        }

        (Asked, AskedId, AskedRecord) = (entry, id, record?.Trim() ?? "");
        var user = await records.ReadAsync(entry.AsUser, cancellation);
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
            user,
            cancellation
        );
        var theirs = Grants.Of(entry.Roles, workspace.Policies, user);
        AskedGrant =
            AskedTitle is null || key is null
                ? theirs.For(Dataset.Id)
                : (await gate.GrantsOfAsync(Catalogue, Dataset, [key], theirs, cancellation))(key);
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
