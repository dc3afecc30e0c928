using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Unsaved;

/// <summary>
/// Keeps what somebody types into a form until it is saved: it is there again after a crash, a restart, or another sign-in, on whichever
/// machine.
/// </summary>
internal sealed class FormsModel(RostrumStore store, CurrentPerson person, RecordFormat format, TimeProvider time) : PageModel
{
    private const int LongestName = 400;
    private static readonly TimeSpan Kept = TimeSpan.FromDays(30);

    /// <summary>What is kept of a form: when it was typed, as people read it, and the values.</summary>
    public async Task<IActionResult> OnGetAsync(string? form, CancellationToken cancellation)
    {
        var before = time.GetUtcNow() - Kept;
        return
            person.Id is { } id
            && await store
                .UnsavedForms.AsNoTracking()
                .FirstOrDefaultAsync(row => row.PersonId == id && row.Form == form && row.At > before, cancellation)
                is { } kept
            ? new JsonResult(
                new { at = format.Display(new FieldType.Instant(), kept.At), values = JsonSerializer.Deserialize<JsonElement>(kept.Values) }
            )
            : new NoContentResult();
    }

    /// <summary>Keeps what was typed; nothing where it is blank.</summary>
    public async Task<IActionResult> OnPostAsync(string? form, string? values, CancellationToken cancellation)
    {
        if (person.Id is not { } id)
        {
            return Unauthorized();
        }

        if (form is not { Length: > 0 and <= LongestName } || values is { Length: > UnsavedForm.MostText } || !IsSound(values))
        {
            return BadRequest();
        }

        if (string.IsNullOrEmpty(values))
        {
            await store.UnsavedForms.Where(row => row.PersonId == id && row.Form == form).ExecuteDeleteAsync(cancellation);
            return new NoContentResult();
        }

        var now = time.GetUtcNow();
        await store.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO unsaved_forms (person_id, form, values, at) VALUES ({id}, {form}, {values}::jsonb, {now})
            ON CONFLICT (person_id, form) DO UPDATE SET values = excluded.values, at = excluded.at
            """,
            cancellation
        );
        await store
            .UnsavedForms.Where(row =>
                row.PersonId == id && store.UnsavedForms.Count(other => other.PersonId == id && other.At > row.At) >= UnsavedForm.MostForms
            )
            .ExecuteDeleteAsync(cancellation);
        return new NoContentResult();
    }

    private static bool IsSound(string? values)
    {
        try
        {
            return string.IsNullOrEmpty(values) || JsonSerializer.Deserialize<Dictionary<string, string[]>>(values) is not null;
        }
        catch (JsonException)
        {
            return false;
        }
    }
}
