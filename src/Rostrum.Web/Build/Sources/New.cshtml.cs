using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Sources;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources;

/// <summary>What is typed to connect a PostgreSQL database, and what came of it.</summary>
internal abstract class ConnectionModel : PageModel
{
    [BindProperty]
    [Required(ErrorMessage = "Give the source a name.")]
    [StringLength(60, ErrorMessage = "At most 60 characters.")]
    public string Name { get; set; } = "";

    [BindProperty]
    [Required(ErrorMessage = "Write the name or address of the machine.")]
    [HostName]
    public string Host { get; set; } = "";

    [BindProperty]
    [Required(ErrorMessage = "Write the port; PostgreSQL's usual one is 5432.")]
    [Range(1, 65535, ErrorMessage = "A port lies between 1 and 65535.")]
    public int? Port { get; set; } = 5432;

    [BindProperty]
    [Required(ErrorMessage = "Write the name of the database.")]
    public string Database { get; set; } = "";

    [BindProperty]
    [Required(ErrorMessage = "Write the user who connects.")]
    public string UserName { get; set; } = "";

    [BindProperty]
    [DataType(DataType.Password)]
    public string? Password { get; set; }

    [BindProperty]
    public bool Encrypted { get; set; }

    public string? Refusal { get; protected set; }

    public string? Success { get; private set; }

    /// <summary>The password where none is typed.</summary>
    protected virtual string KnownPassword => "";

    protected SourceSettings Settings =>
        new(
            Host.Trim(),
            Port ?? 5432,
            Database.Trim(),
            UserName.Trim(),
            string.IsNullOrEmpty(Password) ? KnownPassword : Password,
            Encrypted
        );

    protected async Task<IActionResult> TestAsync(CancellationToken cancellation)
    {
        ModelState.Remove(nameof(Name));
        if (ModelState.IsValid)
        {
            Refusal = (await SourceConnector.TestAsync(Settings, cancellation))?.Message;
            Success = Refusal is null ? "The connection works." : null;
        }

        return Show();
    }

    protected IActionResult GoTo(string address)
    {
        if (!Request.IsPartial())
        {
            return Redirect(address);
        }

        Response.Headers["HX-Redirect"] = address;
        return new EmptyResult();
    }

    // In a partial update only the outcome is swapped: the form stays as it is, its password too.
    protected IActionResult Show() => Request.IsPartial() ? Partial("/Build/Sources/_Outcome.cshtml", this) : Page();
}

/// <summary>Connecting a PostgreSQL database.</summary>
internal sealed class NewModel(SourceSetUp setUp) : ConnectionModel
{
    public Task<IActionResult> OnPostTestAsync(CancellationToken cancellation) => TestAsync(cancellation);

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        if (!ModelState.IsValid)
        {
            return Show();
        }

        var (source, refusal) = await setUp.ConnectAsync(Name.Trim(), Settings, cancellation);
        Refusal = refusal;
        return source is null ? Show() : GoTo($"/build/sources/{source.Id:N}");
    }
}
