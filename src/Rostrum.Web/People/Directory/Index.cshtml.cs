using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>Everybody who can sign in, or could: searched and filtered, for owners.</summary>
internal sealed class IndexModel(RostrumStore store, WorkspaceCache workspaces, RecordFormat format) : PageModel
{
    private const int OnPage = 50;

    /// <summary>One person, as the list shows them.</summary>
    public sealed record Row(
        Guid Id,
        string Name,
        string UserName,
        string? Email,
        string Roles,
        string Groups,
        string? LastSignIn,
        bool IsActive
    );

    public Workspace Workspace { get; private set; } = null!;

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public string Query { get; private set; } = "";

    public string Role { get; private set; } = "";

    public string Group { get; private set; } = "";

    public string State { get; private set; } = "";

    public int Number { get; private set; } = 1;

    public int Last { get; private set; } = 1;

    /// <summary>How many there are, and how many of them are shown.</summary>
    public string Said { get; private set; } = "";

    public string At(int page) =>
        QueryHelpers.AddQueryString(
            "/people",
            new Dictionary<string, string?>
            {
                ["q"] = Blank(Query),
                ["role"] = Blank(Role),
                ["group"] = Blank(Group),
                ["state"] = Blank(State),
                ["page"] = $"{page}",
            }
        );

    public async Task OnGetAsync(string? q, string? role, string? group, string? state, int? page, CancellationToken cancellation)
    {
        Workspace = await workspaces.GetAsync(cancellation);
        (Query, Role, Group, State) = (q?.Trim() ?? "", role ?? "", group ?? "", state ?? "");
        var found = (await MatchingAsync(cancellation))
            .Where(id => Workspace.People.TryGetValue(id, out var person) && Fits(person))
            .OrderBy(id => Workspace.People[id].Name, StringComparer.CurrentCultureIgnoreCase)
            .ThenBy(id => id)
            .ToArray();
        Last = Math.Max(1, (found.Length + OnPage - 1) / OnPage);
        Number = Math.Clamp(page ?? 1, 1, Last);
        Said =
            found.Length == Workspace.People.Count
                ? $"{found.Length.ToString("#,##0", format.Culture)}"
                : $"{found.Length.ToString("#,##0", format.Culture)} of {Workspace.People.Count.ToString("#,##0", format.Culture)}";
        Rows = await RowsAsync([.. found.Skip((Number - 1) * OnPage).Take(OnPage)], cancellation);
    }

    // The database alone knows sign-in names.
    private async Task<IEnumerable<Guid>> MatchingAsync(CancellationToken cancellation)
    {
        if (Query.Length == 0)
        {
            return Workspace.People.Keys;
        }

        var pattern = $"%{LikePattern.Literally(Query)}%";
        return await store
            .Users.AsNoTracking()
            .Where(person =>
                EF.Functions.ILike(person.Name, pattern, "\\")
                || EF.Functions.ILike(person.UserName!, pattern, "\\")
                || EF.Functions.ILike(person.Email!, pattern, "\\")
            )
            .Select(person => person.Id)
            .ToListAsync(cancellation);
    }

    private bool Fits(PersonEntry person) =>
        (Role.Length == 0 || person.Roles.Contains(Role))
        && (Group.Length == 0 || person.Groups.Contains(Group))
        && State switch
        {
            "active" => person.IsActive,
            "deactivated" => !person.IsActive,
            "without a role" => person.Roles.Count == 0,
            _ => true,
        };

    private async Task<ImmutableArray<Row>> RowsAsync(Guid[] shown, CancellationToken cancellation)
    {
        var names = await store
            .Users.AsNoTracking()
            .Where(person => shown.Contains(person.Id))
            .Select(person => new { person.Id, person.UserName })
            .ToDictionaryAsync(person => person.Id, person => person.UserName ?? "", cancellation);
        var seen = await store
            .SignInAttempts.AsNoTracking()
            .Where(attempt =>
                attempt.PersonId != null && shown.Contains(attempt.PersonId.Value) && attempt.Outcome == SignInAttempt.SignedIn
            )
            .GroupBy(attempt => attempt.PersonId!.Value)
            .Select(attempts => new { Id = attempts.Key, At = attempts.Max(attempt => attempt.At) })
            .ToDictionaryAsync(last => last.Id, last => last.At, cancellation);
        return
        [
            .. shown
                .Where(names.ContainsKey)
                .Select(id =>
                {
                    var person = Workspace.People[id];
                    return new Row(
                        id,
                        person.Name,
                        names[id],
                        person.Email,
                        string.Join(", ", Workspace.Roles.Where(role => person.Roles.Contains(role.Name)).Select(role => role.Label)),
                        string.Join(", ", Workspace.Groups.Where(group => person.Groups.Contains(group.Name)).Select(group => group.Label)),
                        seen.TryGetValue(id, out var at) ? format.Display(new FieldType.Instant(), at) : null,
                        person.IsActive
                    );
                }),
        ];
    }

    private static string? Blank(string text) => text.Length == 0 ? null : text;
}
