using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Store;
using Rostrum.Web.Build.Data;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>The forms by which an own table is altered: fields are added, hold something else, are called otherwise, and go.</summary>
internal sealed class TableModel(RostrumStore store, WorkspaceCache workspaces, RecordFormat format, OwnTableSetUp setUp)
    : DatasetPage(store, workspaces, format)
{
    private const int MostShown = 20;
    private const int MostAlterations = 200;

    /// <summary>Which form is asked for.</summary>
    public string Form { get; private set; } = "";

    /// <summary>The own tables to which relations can lead.</summary>
    public ImmutableArray<(string Table, string Label)> Targets { get; private set; } = [];

    /// <summary>The field that is to be added, as it was typed.</summary>
    public OwnField Added { get; private set; } = new("", OwnType.Text);

    /// <summary>The field that is altered.</summary>
    public Field? Altered { get; private set; }

    /// <summary>What it is to be.</summary>
    public OwnField? Wanted { get; private set; }

    /// <summary>What could not be taken over; null where it has not been tried.</summary>
    public ImmutableArray<(string Text, long Records)>? Lost { get; private set; }

    /// <summary>What was altered so far, the last first.</summary>
    public ImmutableArray<StoredAlteration> Alterations { get; private set; } = [];

    public string Table => $"{Here}/table";

    /// <summary>Where the table is filled.</summary>
    public string Records => TableEditing.AddressOf(Dataset.Id);

    public string LostSays =>
        (Lost?.Sum(one => one.Records) ?? 0) switch
        {
            0 => "All values can be taken over.",
            1 => "1 record has a value that cannot be taken over: it would be blank.",
            var records => $"{records:#,##0} records have values that cannot be taken over: they would be blank.",
        };

    public IEnumerable<(string Text, long Records)> LostShown => (Lost ?? []).Take(MostShown);

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, string? form, string? field, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, form, field, cancellation))
        {
            return NotFound();
        }

        if (Form == "changes")
        {
            Alterations = [.. await setUp.AlterationsAsync(Dataset.Id.Value, MostAlterations, cancellation)];
        }

        return form is null ? Redirect(Records) : Shown();
    }

    public async Task<IActionResult> OnPostAddAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "add", null, cancellation))
        {
            return NotFound();
        }

        Added = OwnTableFields.Read(Request.Form, "", Targets);
        Refusal = await setUp.AddAsync(Dataset, Added, cancellation);
        return Done($"“{Added.Label}” is added.");
    }

    /// <summary>The own tables with whose records this one's can be linked.</summary>
    public IEnumerable<(string Table, string Label)> Others =>
        Dataset.Key.Length == 1 ? Targets.Where(other => other.Table != Dataset.Table.Name) : [];

    /// <summary>What was typed of a link.</summary>
    public (string Table, string Label, string InverseLabel) Linked { get; private set; } = ("", "", "");

    public async Task<IActionResult> OnPostLinkAsync(
        Guid id,
        Guid table,
        string? other,
        string? linkLabel,
        string? inverseLabel,
        CancellationToken cancellation
    )
    {
        if (!await OpenAsync(id, table, "link", null, cancellation))
        {
            return NotFound();
        }

        Linked = (other ?? "", linkLabel?.Trim() ?? "", inverseLabel?.Trim() ?? "");
        (var between, Refusal) = await setUp.LinkAsync(Dataset, Linked.Table, Linked.Label, Linked.InverseLabel, cancellation);
        return Done($"Linked. The links are records of “{between?.Label}”: set its Access for whoever sees or makes them.");
    }

    public async Task<IActionResult> OnPostRemoveAsync(Guid id, Guid table, string field, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "remove", field, cancellation))
        {
            return NotFound();
        }

        Refusal = await setUp.RemoveAsync(Dataset, Altered!, OwnOf(Altered!), cancellation);
        return Done($"“{Altered!.Label}” is removed. Changes brings it back.");
    }

    public async Task<IActionResult> OnPostRenameAsync(Guid id, Guid table, string field, string? label, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "rename", field, cancellation))
        {
            return NotFound();
        }

        Wanted = OwnOf(Altered!) with { Label = label?.Trim() ?? "" };
        Refusal = await setUp.RenameAsync(Dataset, Altered!, Wanted.Label, cancellation);
        return Done($"It is called “{Wanted.Label}” now.");
    }

    /// <summary>Moves a field one place to the left or the right; or shows it in apps, or not.</summary>
    public async Task<IActionResult> OnPostPlaceAsync(Guid id, Guid table, string field, int by, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "place", field, cancellation))
        {
            return NotFound();
        }

        var known = Altered!;
        var columns = Dataset.Fields.Where(other => !Dataset.Key.Contains(other.Name)).ToImmutableArray();
        var beside = columns.ElementAtOrDefault(columns.IndexOf(known) + Math.Sign(by));
        var fields =
            by == 0 ? Dataset.Fields.Replace(known, known with { Hidden = !known.Hidden })
            : beside is null ? Dataset.Fields
            : Dataset.Fields.Remove(known).Insert(Dataset.Fields.IndexOf(beside), known);
        await SaveAsync(
            Dataset with
            {
                Fields = fields,
            },
            by != 0 ? $"{known.Label} is moved."
                : known.Hidden ? $"{known.Label} is shown in apps."
                : $"{known.Label} is hidden in apps.",
            Records,
            cancellation
        );
        return Again();
    }

    public async Task<IActionResult> OnPostRetypeAsync(Guid id, Guid table, string field, string? step, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "retype", field, cancellation))
        {
            return NotFound();
        }

        Wanted = OwnTableFields.Read(Request.Form, "", Targets);
        (Lost, Refusal) = await setUp.RetypeAsync(Dataset, Altered!, OwnOf(Altered!), Wanted, tries: step != "change", cancellation);
        return step == "change" ? Done($"“{Wanted.Label}” is {Label(Wanted.Type)} now.") : Shown();
    }

    public async Task<IActionResult> OnPostUndoAsync(Guid id, Guid table, Guid alteration, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "changes", null, cancellation))
        {
            return NotFound();
        }

        Refusal = await setUp.UndoAsync(alteration, cancellation);
        Alterations = [.. await setUp.AlterationsAsync(Dataset.Id.Value, MostAlterations, cancellation)];
        return Done("It is undone.");
    }

    public async Task<IActionResult> OnPostDropAsync(Guid id, Guid table, string? name, CancellationToken cancellation)
    {
        if (!await OpenAsync(id, table, "drop", null, cancellation))
        {
            return NotFound();
        }

        if (!string.Equals(name?.Trim(), Dataset.Label, StringComparison.OrdinalIgnoreCase))
        {
            Refusal = $"Nothing was removed: type “{Dataset.Label}” to remove it with all its records.";
            return Shown();
        }

        Refusal = await setUp.DropAsync(Dataset, cancellation);
        return Done($"The table “{Dataset.Label}” is removed.", "/build/tables/removed");
    }

    public static string Label(OwnType type) => OwnKind.Of(type).Label.ToLowerInvariant();

    /// <summary>What a field is, in the words of own tables.</summary>
    public OwnField OwnOf(Field field) => new OwnFieldReading(Catalogue, Dataset, Open.Structure, Format).Of(field);

    private IActionResult Done(string note, string? address = null)
    {
        if (Refusal is not null)
        {
            return Shown();
        }

        TempData["note"] = note;
        return Again(address);
    }

    // The table, as it is now: where the form stands over it, at the place in it at which one was.
    private IActionResult Again(string? address = null)
    {
        if (!Request.IsPartial())
        {
            return Redirect(address ?? Records);
        }

        Response.Headers[address is null ? "HX-Refresh" : "HX-Redirect"] = address ?? "true";
        return new OkResult();
    }

    private IActionResult Shown() => Request.IsPartial() ? Partial("/Build/OwnTables/_AlteringOver.cshtml", this) : Page();

    private async Task<bool> OpenAsync(Guid id, Guid table, string? form, string? field, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation) || !IsOwn || Dataset.GoneBecause is not null)
        {
            return false;
        }

        Form = form ?? "";
        Targets = OwnTableFields.Targets(await WorkspaceAsync(cancellation));
        Altered = Dataset.Fields.FirstOrDefault(known =>
            known.Name.Value == field && !Dataset.Key.Contains(known.Name) && known.Formula is null
        );
        Wanted = Altered is null ? null : OwnOf(Altered);
        return Altered is not null || (field is null && form is not ("rename" or "retype" or "remove" or "place"));
    }
}
