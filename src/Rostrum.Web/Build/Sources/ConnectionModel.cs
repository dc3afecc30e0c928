using System.ComponentModel.DataAnnotations;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Sources;

/// <summary>What is typed to connect a source of one kind, and what came of it. The kind says what that is.</summary>
[RequestSizeLimit((SourceFiles.MostMegabytes + 1) * 1024L * 1024)]
[RequestFormLimits(MultipartBodyLengthLimit = (SourceFiles.MostMegabytes + 1) * 1024L * 1024)]
internal abstract class ConnectionModel(SourceFiles files, SourceSecrets secrets, WorkspaceCache workspaces) : PageModel
{
    private const int LongestHost = 253;

    // What every kind may have is kept in columns, what is one kind's own in its options.
    private static readonly string[] Columns = ["Host", "Port", "Database", "UserName", "Password", "Encrypted"];

    [BindProperty]
    [Required(ErrorMessage = "Give the source a name.")]
    [StringLength(60, ErrorMessage = "At most 60 characters.")]
    public string Name { get; set; } = "";

    /// <summary>The kind of source.</summary>
    public SourceKind Kind { get; protected set; } = SourceKind.Find(SourceKind.Usual)!;

    /// <summary>What stands in the form, by the settings' keys.</summary>
    public Dictionary<string, string> Typed { get; } = new(StringComparer.Ordinal);

    public string? Refusal { get; protected set; }

    public string? Success { get; private set; }

    /// <summary>Why a file that was sent is not kept.</summary>
    public string? UploadProblem { get; private set; }

    /// <summary>The files to choose from.</summary>
    public IEnumerable<string> Files => files.Names;

    /// <summary>The kinds that can be connected here.</summary>
    public IEnumerable<SourceKind> Kinds => files.Kinds;

    protected SourceSecrets Secrets => secrets;

    protected SourceServices Services => HttpContext.RequestServices.GetRequiredService<SourceServices>();

    /// <summary>The password where none is typed.</summary>
    protected virtual string KnownPassword => "";

    /// <summary>What is typed, as it is kept: of a file its name.</summary>
    protected SourceSettings Settings =>
        new(
            Text("Host"),
            int.TryParse(Text("Port"), NumberStyles.None, CultureInfo.InvariantCulture, out var port) ? port : 0,
            Text("Database"),
            Text("UserName"),
            Typed.GetValueOrDefault("Password") is { Length: > 0 } password ? password : KnownPassword,
            Typed.ContainsKey("Encrypted")
        )
        {
            Kind = Kind.Name,
            Options = JsonSerializer.Serialize(
                Kind.Settings.Where(setting => !Columns.Contains(setting.Key) && Counts(setting) && Text(setting.Key).Length > 0)
                    .OrderBy(setting => setting.Key, StringComparer.Ordinal)
                    .ToDictionary(setting => setting.Key, setting => Text(setting.Key))
            ),
            Requests = KnownRequests,
        };

    /// <summary>The requests of the source so far.</summary>
    protected virtual string KnownRequests => "[]";

    /// <summary>Whether a setting counts with what is chosen in others.</summary>
    public bool Counts(SourceSetting setting) =>
        setting.When is not { } when
        || when.Values.Contains(Typed.GetValueOrDefault(when.Key) is { Length: > 0 } chosen ? chosen : Usual(when.Key));

    private string Usual(string key) => Kind.Settings.First(setting => setting.Key == key).Options[0].Value;

    /// <summary>The same as the source is reached.</summary>
    protected async ValueTask<SourceSettings> ReachedAsync(CancellationToken cancellation)
    {
        var settings = files.Placed(Settings);
        var all = (await workspaces.GetAsync(cancellation)).Secrets;
        return settings with { Secrets = secrets.Named(settings.Options + settings.Requests, all) };
    }

    /// <summary>Takes what was sent, and says what is wrong with it.</summary>
    protected bool Read()
    {
        foreach (var setting in Kind.Settings.Where(setting => Request.Form.ContainsKey(setting.Key)))
        {
            Typed[setting.Key] = Request.Form[setting.Key].ToString();
        }

        foreach (var setting in Kind.Settings.Where(Counts))
        {
            if (Problem(setting, Text(setting.Key)) is { } problem)
            {
                ModelState.AddModelError(setting.Key, problem);
            }
        }

        return ModelState.IsValid;
    }

    protected async Task<IActionResult> TestAsync(CancellationToken cancellation)
    {
        ModelState.Remove(nameof(Name));
        if (Read())
        {
            Refusal = (await SourceConnector.TestAsync(await ReachedAsync(cancellation), cancellation, Services))?.Message;
            Success = Refusal is null ? "The connection works." : null;
        }

        return Show();
    }

    /// <summary>Keeps a file that was sent, where it can be connected, and writes its name into the form.</summary>
    protected async Task<IActionResult> UploadAsync(IFormFile? file, CancellationToken cancellation)
    {
        ModelState.Clear();
        if (!Kind.IsFile)
        {
            return NotFound();
        }

        Typed["Database"] = Request.Form["Database"].ToString();
        if (file is not null)
        {
            var name = Path.GetFileName(file.FileName);
            UploadProblem = await files.KeepAsync(file, name, cancellation);
            if (UploadProblem is null)
            {
                Typed["Database"] = name;
                Success = $"“{name}” is there now.";
                if (await SourceConnector.TestAsync(await ReachedAsync(cancellation), cancellation, Services) is { } failure)
                {
                    files.Remove(name);
                    (UploadProblem, Success, Typed["Database"]) = (failure.Message, null, "");
                }
            }
        }

        return Partial("/Build/Sources/_File.cshtml", this);
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

    private string Text(string key) => Typed.GetValueOrDefault(key, "").Trim();

    private static string? Problem(SourceSetting setting, string text) =>
        text.Length == 0
            ? setting.Missing
            : setting.Input switch
            {
                SettingInput.Host when !IsHost(text) => "Write the name or the address of a machine alone, such as db.example.internal.",
                SettingInput.Port
                    when !(
                        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var port) && port is >= 1 and <= 65535
                    ) => "A port lies between 1 and 65535.",
                SettingInput.Address
                    when !(Uri.TryCreate(text, UriKind.Absolute, out var address) && address.Scheme is "http" or "https") =>
                    "Write an address that begins with https:// or http://.",
                SettingInput.Choice when !setting.Options.Any(option => option.Value == text) => "Choose one of the options.",
                SettingInput.File when !SourceFiles.IsName(text) => "Write the name of a file alone, without folders.",
                _ => null,
            };

    // The name or the address of a machine, and nothing else: no scheme, no port, no path.
    private static bool IsHost(string text) =>
        text.Length <= LongestHost && Uri.CheckHostName(text) != UriHostNameType.Unknown && text.Any(letter => letter is not ('0' or '.'));
}
