using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People.Roles;

namespace Rostrum.Web.People.Directory;

/// <summary>
/// Says, before a right is saved, who gains and who loses what by it: counted from the records as they are at this moment.
/// </summary>
internal sealed class AccessEffects(RecordGate gate, PublishedApps apps, PersonRecords records, RecordFormat format)
{
    private const int MostPeople = 12;
    private const int Sample = 3;

    // Some APIs do not say how many there are: it is said then that there are more than these.
    private const int Looked = 100;
    private static readonly RecordCount Nothing = new(0, CountKind.Exact);

    /// <summary>What changes for one person who has other roles, groups or attributes.</summary>
    /// <param name="workspace">The workspace as it is.</param>
    /// <param name="id">The person.</param>
    /// <param name="after">The person as they would be.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IReadOnlyList<string>> OfPersonAsync(Workspace workspace, Guid id, SignedIn after, CancellationToken cancellation)
    {
        var entry = workspace.People[id];
        var before = await records.GrantsOfAsync(workspace, entry.Roles, entry.AsUser, cancellation);
        var then = await records.GrantsOfAsync(workspace, after.Roles.ToHashSet(StringComparer.Ordinal), after, cancellation);
        var lines = await DataAsync(workspace, entry.Name, before, then, cancellation);
        lines.AddRange(await PagesAsync(workspace, entry.Name, entry.Roles, after.Roles, cancellation));
        var (could, can) = (workspace.PermissionsOf(entry.Roles), workspace.PermissionsOf(after.Roles.ToHashSet(StringComparer.Ordinal)));
        lines.AddRange(OneRoleModel.Changes(entry.Name, could, can));
        return lines;
    }

    /// <summary>What changes for people where a role has other rights to a dataset.</summary>
    /// <param name="workspace">The workspace as it is.</param>
    /// <param name="policy">The policy as it would be.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IReadOnlyList<string>> OfPolicyAsync(Workspace workspace, Policy policy, CancellationToken cancellation)
    {
        var after = workspace with
        {
            Policies = [.. workspace.Policies.Where(known => known.Role != policy.Role || known.Dataset != policy.Dataset), policy],
        };
        var holders = workspace
            .People.Values.Where(person => person.IsActive && person.Roles.Contains(policy.Role))
            .OrderBy(person => person.Name, StringComparer.CurrentCulture)
            .ToArray();
        var lines = new List<string>();
        foreach (var person in holders.Take(MostPeople))
        {
            var user = await records.ReadAsync(person.AsUser, cancellation);
            var (before, then) = (workspace.GrantsOf(person.Roles, user), after.FreshGrantsOf(person.Roles, user));
            lines.AddRange(await OfDatasetAsync(workspace, person.Name, policy.Dataset, before, then, cancellation));
        }

        if (holders.Length > MostPeople && lines.Count > 0)
        {
            lines.Add($"And it holds for {holders.Length - MostPeople} more people with this role.");
        }

        return lines;
    }

    /// <summary>What people see on pages of each of their datasets, who have not seen these before: some lines for each page.</summary>
    /// <param name="workspace">The workspace as it is.</param>
    /// <param name="pages">The pages, with the names of who sees each of them then.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ImmutableDictionary<string, ImmutableArray<string>>> OfPagesAsync(
        Workspace workspace,
        IEnumerable<(Page Page, ImmutableArray<string> Names)> pages,
        CancellationToken cancellation
    )
    {
        var counted = new Dictionary<(string, DatasetId), string>();
        var lines = ImmutableDictionary.CreateBuilder<string, ImmutableArray<string>>();
        foreach (var (page, names) in pages)
        {
            var datasets = page
                .All.SelectMany(panel => panel.Datasets)
                .Distinct()
                .Select(workspace.Datasets.Find)
                .OfType<Dataset>()
                .ToArray();
            var seen = new List<(string Name, string Says)>();
            foreach (var person in workspace.People.Values.Where(person => person.IsActive && names.Contains(person.Name)).Take(MostPeople))
            {
                foreach (var dataset in datasets.Where(dataset => !counted.ContainsKey((person.Name, dataset.Id))))
                {
                    counted[(person.Name, dataset.Id)] = await OfDatasetAsync(workspace, person, dataset, cancellation);
                }

                seen.Add((person.Name, Wording.Listed([.. datasets.Select(dataset => counted[(person.Name, dataset.Id)])])));
            }

            var alike = seen.Where(one => one.Says.Length > 0).GroupBy(one => one.Says, one => one.Name).ToArray();
            lines[page.Name] =
            [
                .. alike.Select(group =>
                    alike.Length == 1
                        ? $"They find {group.Key} there."
                        : $"{Wording.Several([.. group.Order(StringComparer.CurrentCulture)])}: {group.Key}."
                ),
            ];
        }

        return lines.ToImmutable();
    }

    private async Task<string> OfDatasetAsync(Workspace workspace, PersonEntry person, Dataset dataset, CancellationToken cancellation)
    {
        var grants = await records.GrantsOfAsync(workspace, person.Roles, person.AsUser, cancellation);
        return !grants.For(dataset.Id).Allows(Verbs.View) ? $"no {dataset.LabelInSentence}"
            : await CountAsync(workspace, dataset, grants, cancellation) is { } count
                ? $"{count.Said(format.Culture)} {(count.Number == 1 ? dataset.RecordLabel : dataset.LabelInSentence)}"
            : $"{dataset.LabelInSentence} (not counted: the source does not answer)";
    }

    private async Task<List<string>> DataAsync(
        Workspace workspace,
        string name,
        Grants before,
        Grants after,
        CancellationToken cancellation
    )
    {
        var lines = new List<string>();
        foreach (var dataset in workspace.Policies.Select(policy => policy.Dataset).Distinct())
        {
            lines.AddRange(await OfDatasetAsync(workspace, name, dataset, before, after, cancellation));
        }

        lines.Sort(StringComparer.CurrentCulture);
        return lines;
    }

    private async Task<IEnumerable<string>> OfDatasetAsync(
        Workspace workspace,
        string name,
        DatasetId id,
        Grants before,
        Grants after,
        CancellationToken cancellation
    )
    {
        if (workspace.Datasets.Find(id) is not { GoneBecause: null } dataset)
        {
            return [];
        }

        var (was, now) = (before.For(id), after.For(id));
        var lines = new List<string>();
        var (lost, gained) = (was.Verbs & ~now.Verbs & ~Verbs.View, now.Verbs & ~was.Verbs & ~Verbs.View);
        if (lost is not Verbs.None)
        {
            lines.Add($"{name} may no longer {RightWords.InSentence(dataset, lost)}.");
        }

        if (gained is not Verbs.None)
        {
            lines.Add($"{name} may now {RightWords.InSentence(dataset, gained)}.");
        }

        if (!dataset.IsStatement)
        {
            lines.AddRange(await SeenAsync(workspace, dataset, name, before, after, cancellation));
            lines.AddRange(await ReachAsync(workspace, dataset, name, before, after, cancellation));
            lines.AddRange(Fields(dataset, name, was, now));
        }

        return lines;
    }

    private async Task<IEnumerable<string>> SeenAsync(
        Workspace workspace,
        Dataset dataset,
        string name,
        Grants before,
        Grants after,
        CancellationToken cancellation
    )
    {
        var (was, now) = (before.For(dataset.Id), after.For(dataset.Id));
        var asksWho = before.User is { } one && after.User is { } other && !Same(one, other) && (Asks(was) || Asks(now));
        if (was.Allows(Verbs.View) == now.Allows(Verbs.View) && was.Condition == now.Condition && !asksWho)
        {
            return [];
        }

        var seen = await CountAsync(workspace, dataset, before, cancellation);
        var then = await CountAsync(workspace, dataset, after, cancellation);
        if (seen is null || then is null)
        {
            return [$"What changes for {name} in {dataset.LabelInSentence} cannot be counted: the source does not answer."];
        }

        // Where both are of the same person, what both let through can be counted; otherwise the one number stands against the other.
        var both =
            seen.Number == 0 || then.Number == 0 ? Nothing
            : asksWho ? null
            : await CountAsync(workspace, dataset, new Grants(before.Rights.And(after.Rights), after.User), cancellation);
        if (both is not { } shared)
        {
            return seen == then
                ? []
                : [$"{name} sees {then.Said(format.Culture)} {dataset.LabelInSentence}, and not {seen.Said(format.Culture)}."];
        }

        var lines = new List<string>();
        if (seen.Number > shared.Number)
        {
            var sample = await SampleAsync(workspace, dataset, before, shared, cancellation);
            lines.Add($"{name} may no longer view {Counted(dataset, seen, shared)}{sample}.");
        }

        if (then.Number > shared.Number)
        {
            var sample = await SampleAsync(workspace, dataset, after, shared, cancellation);
            lines.Add($"{name} may now view {Counted(dataset, then, shared)}{sample}.");
        }

        return lines;
    }

    // To how many records a verb applies that a person has before and after, where its own condition is another.
    private async Task<IEnumerable<string>> ReachAsync(
        Workspace workspace,
        Dataset dataset,
        string name,
        Grants before,
        Grants after,
        CancellationToken cancellation
    )
    {
        var (was, now) = (before.For(dataset.Id), after.For(dataset.Id));
        var lines = new List<string>();
        foreach (
            var (verb, word) in RightWords.Words.Where(one =>
                one.Verb is Verbs.Update or Verbs.Delete or Verbs.Download or Verbs.RunActions
            )
        )
        {
            if (!was.Allows(verb) || !now.Allows(verb) || (!HasOwn(was, verb) && !HasOwn(now, verb)) || Same(was.For(verb), now.For(verb)))
            {
                continue;
            }

            var what = verb is Verbs.RunActions ? $"{word} on" : word;
            var could = await CountAsync(workspace, dataset, Where(before, verb), cancellation);
            var can = await CountAsync(workspace, dataset, Where(after, verb), cancellation);
            if (could is not null && can is not null)
            {
                lines.Add(
                    could == can
                        ? $"{name} may {what} other {dataset.LabelInSentence} than before: {can.Said(format.Culture)}."
                        : $"{name} may {what} {can.Said(format.Culture)} {dataset.LabelInSentence}, and not {could.Said(format.Culture)}."
                );
            }
        }

        return lines;

        static bool HasOwn(Grant grant, Verbs verb) => !Same(grant.For(verb), grant.Condition);
        static bool Same(Filter one, Filter other) => one.Equals(other) || one.Formulas.SequenceEqual(other.Formulas);
        Grants Where(Grants grants, Verbs verb) => grants.WithCondition(dataset.Id, grants.For(dataset.Id).For(verb));
    }

    // A sample of all of them: where some are seen before and after, it would have to be searched for.
    private async Task<string> SampleAsync(
        Workspace workspace,
        Dataset dataset,
        Grants grants,
        RecordCount shared,
        CancellationToken cancellation
    )
    {
        if (shared.Number > 0)
        {
            return "";
        }

        var request = new ReadRequest(dataset.Id) { Window = new PageWindow.FromStart(0, Sample) };
        return
            await gate.ReadAsync(workspace.Datasets, request, grants, cancellation)
                is ReadResult.Rows { Records: { IsEmpty: false } records }
            ? $", such as {string.Join(", ", records.Select(record => $"“{record.Title}”").Distinct(StringComparer.Ordinal))}"
            : "";
    }

    private async Task<RecordCount?> CountAsync(Workspace workspace, Dataset dataset, Grants grants, CancellationToken cancellation)
    {
        if (!grants.For(dataset.Id).Allows(Verbs.View))
        {
            return Nothing;
        }

        var request = new ReadRequest(dataset.Id) { Counted = true, Window = new PageWindow.FromStart(0, Looked) };
        return await gate.ReadAsync(workspace.Datasets, request, grants, cancellation) is ReadResult.Rows { Count: { } count }
            ? count
            : null;
    }

    private static IEnumerable<string> Fields(Dataset dataset, string name, Grant was, Grant now)
    {
        if (!was.Allows(Verbs.View) || !now.Allows(Verbs.View))
        {
            yield break;
        }

        string Labels(IEnumerable<Field> fields) => Wording.Listed(fields.Select(field => Wording.InSentence(dataset.LabelOf(field.Name))));
        var lost = dataset.Fields.Where(field => was.Readable.Has(field.Name) && !now.Readable.Has(field.Name)).ToArray();
        var gained = dataset.Fields.Where(field => !was.Readable.Has(field.Name) && now.Readable.Has(field.Name)).ToArray();
        if (lost.Length > 0)
        {
            yield return $"{name} no longer sees {Labels(lost)} of {dataset.LabelInSentence}.";
        }

        if (gained.Length > 0)
        {
            yield return $"{name} now sees {Labels(gained)} of {dataset.LabelInSentence}.";
        }

        // Those that are seen of some records and not of others.
        var kept = dataset.Fields.Where(field => was.Readable.Has(field.Name) && now.Readable.Has(field.Name)).ToArray();
        var fewer = kept.Where(field => was.IsReadableInAll(field.Name) && !now.IsReadableInAll(field.Name)).ToArray();
        var more = kept.Where(field => !was.IsReadableInAll(field.Name) && now.IsReadableInAll(field.Name)).ToArray();
        if (fewer.Length > 0)
        {
            yield return $"{name} sees {Labels(fewer)} of some {dataset.LabelInSentence} only.";
        }

        if (more.Length > 0)
        {
            yield return $"{name} now sees {Labels(more)} of every {dataset.RecordLabel}.";
        }
    }

    private async Task<IEnumerable<string>> PagesAsync(
        Workspace workspace,
        string name,
        IReadOnlySet<string> was,
        ImmutableArray<string> now,
        CancellationToken cancellation
    )
    {
        var lines = new List<string>();
        foreach (var app in workspace.Apps)
        {
            var pages = (await apps.LiveAsync(app.Address, cancellation))?.Definition.Pages.Where(page => !page.Unlisted).ToArray() ?? [];
            var closed = pages.Where(page => page.Audience.Any(was.Contains) && !page.Audience.Any(now.Contains)).ToArray();
            var opened = pages.Where(page => !page.Audience.Any(was.Contains) && page.Audience.Any(now.Contains)).ToArray();
            if (closed.Length > 0)
            {
                lines.Add($"{app.Name} closes {Wording.Listed(closed.Select(page => page.Name))} to {name}.");
            }

            if (opened.Length > 0)
            {
                lines.Add($"{app.Name} opens {Wording.Listed(opened.Select(page => page.Name))} to {name}.");
            }
        }

        return lines;
    }

    private static bool Asks(Grant grant) => grant.Condition is not (Filter.Everything or Filter.Nothing);

    private static bool Same(SignedIn one, SignedIn other) =>
        one.Groups.Order().SequenceEqual(other.Groups.Order())
        && one.Attributes.Select(attribute => attribute.Value).SequenceEqual(other.Attributes.Select(attribute => attribute.Value));

    private string Counted(Dataset dataset, RecordCount of, RecordCount without)
    {
        var left = new RecordCount(of.Number - without.Number, without.Kind is CountKind.Exact ? of.Kind : CountKind.About);
        return $"{left.Said(format.Culture)} {(left.Number == 1 ? dataset.RecordLabel : dataset.LabelInSentence)}";
    }
}
