using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Sources;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources;

/// <summary>Connecting a PostgreSQL database.</summary>
internal sealed class NewModel(SourceSetUp setUp) : PageModel
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

    public string? Refusal { get; private set; }

    public string? Success { get; private set; }

    private SourceSettings Settings => new(Host.Trim(), Port ?? 5432, Database.Trim(), UserName.Trim(), Password ?? "", Encrypted);

    public async Task<IActionResult> OnPostTestAsync(CancellationToken cancellation)
    {
        ModelState.Remove(nameof(Name));
        if (ModelState.IsValid)
        {
            Refusal = (await SourceConnector.TestAsync(Settings, cancellation))?.Message;
            Success = Refusal is null ? "The connection works." : null;
        }

        return Show();
    }

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        if (!ModelState.IsValid)
        {
            return Show();
        }

        var (source, refusal) = await setUp.ConnectAsync(Name.Trim(), Settings, cancellation);
        if (source is null)
        {
            Refusal = refusal;
            return Show();
        }

        var address = $"/build/sources/{source.Id:N}";
        if (!Request.IsPartial())
        {
            return Redirect(address);
        }

        Response.Headers["HX-Redirect"] = address;
        return new EmptyResult();
    }

    // In a partial update only the outcome is swapped: the form stays as it is, its password too.
    private IActionResult Show() => Request.IsPartial() ? Partial("/Build/Sources/_Outcome.cshtml", this) : Page();
}

/// <summary>The name or the address of a machine, and nothing else: no scheme, no port, no path.</summary>
[AttributeUsage(AttributeTargets.Property)]
internal sealed class HostNameAttribute : ValidationAttribute
{
    private const int Longest = 253;

    protected override ValidationResult? IsValid(object? value, ValidationContext validationContext) =>
        value is not string { Length: > 0 } host
            || (host.Trim() is { Length: <= Longest } name
                && Uri.CheckHostName(name) != UriHostNameType.Unknown
                && name.Any(letter => letter is not ('0' or '.')))
            ? ValidationResult.Success
            : new ValidationResult("Write the name or the address of a machine alone, such as db.example.internal.");
}
