using System.Collections.Immutable;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Memory;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Http;

/// <summary>APIs over HTTP that speak JSON.</summary>
internal sealed class HttpProvider : SourceProvider
{
    private const string SignIn = "SignIn";

    public override SourceKind Describes { get; } =
        new(
            "http",
            "HTTP API",
            [
                new SourceSetting("Address", "Base address", SettingInput.Address)
                {
                    Example = "https://api.example.com/v1",
                    Missing = "Write the address under which the API's paths stand.",
                },
                new SourceSetting(SignIn, "Authentication", SettingInput.Choice)
                {
                    Options =
                    [
                        ("none", "None"),
                        ("basic", "User and password (Basic)"),
                        ("bearer", "Token (Bearer)"),
                        ("key", "API key"),
                        ("clientCredentials", "OAuth 2 client credentials"),
                        ("token", "Sign in for a token"),
                    ],
                },
                new SourceSetting("UserName", "User", SettingInput.Text)
                {
                    Missing = "Write the user who signs in.",
                    When = (SignIn, ["basic", "token"]),
                },
                new SourceSetting("KeyName", "Name of the key", SettingInput.Text)
                {
                    Example = "X-Api-Key",
                    Missing = "Write the header or the parameter that takes the key.",
                    When = (SignIn, ["key"]),
                },
                new SourceSetting("KeyPlace", "Key is sent in", SettingInput.Choice)
                {
                    Options = [("header", "a header"), ("query", "the query")],
                    When = (SignIn, ["key"]),
                },
                new SourceSetting("TokenAddress", "Token address", SettingInput.Address)
                {
                    Example = "https://login.example.com/oauth2/token",
                    Missing = "Write the address of the authorization server's token endpoint.",
                    When = (SignIn, ["clientCredentials"]),
                },
                new SourceSetting("ClientId", "Client ID", SettingInput.Text)
                {
                    Missing = "Write the client's ID.",
                    When = (SignIn, ["clientCredentials"]),
                },
                new SourceSetting("Scope", "Scope", SettingInput.Text) { When = (SignIn, ["clientCredentials"]) },
                new SourceSetting("TokenPath", "Sign-in path", SettingInput.Text)
                {
                    Example = "/sign-in",
                    Missing = "Write the path that gives the token.",
                    When = (SignIn, ["token"]),
                },
                new SourceSetting("TokenBody", "Sign-in body (JSON)", SettingInput.Lines)
                {
                    Example = "{\"user\": \"${user}\", \"password\": \"${password}\"}",
                    Missing = "Write what is sent to sign in.",
                    Help = "${user} and ${password} stand for the two inputs here.",
                    When = (SignIn, ["token"]),
                },
                new SourceSetting("TokenPointer", "Token in the answer", SettingInput.Text)
                {
                    Example = "/token",
                    Missing = "Write where the token stands in the answer, such as /token.",
                    When = (SignIn, ["token"]),
                },
                new SourceSetting("LifetimePointer", "Lifetime in the answer", SettingInput.Text)
                {
                    Example = "/expires_in",
                    Help = "Where the number of seconds stands for which the token is good. Blank: it is renewed when it is refused.",
                    When = (SignIn, ["token"]),
                },
                new SourceSetting("Password", "Password, token or key", SettingInput.Secret)
                {
                    When = (SignIn, ["basic", "bearer", "key", "clientCredentials", "token"]),
                },
                new SourceSetting("Headers", "Headers for all requests", SettingInput.Lines)
                {
                    Example = "Accept-Language: en\nX-Tenant: ${secrets.tenant}",
                    Help = "One a line. ${secrets.name} stands for a secret.",
                },
                new SourceSetting("Variables", "Variables for all requests", SettingInput.Lines)
                {
                    Example = "region: north",
                    Help = "One a line. Requests use one as ${variables.region}.",
                },
            ]
        )
        {
            HasRequests = true,
        };

    public override SqlEngine Language => MemoryTable.Engine;

    public override Dataset Drafted(Dataset dataset, SourceSettings settings)
    {
        if (dataset.Join is not null)
        {
            return dataset;
        }

        var resource = Resources(settings.Requests).FirstOrDefault(one => one.Name == dataset.Table.Name);
        var takes =
            Verbs.View
            | (resource?.Create is null ? Verbs.None : Verbs.Create)
            | (resource?.Update is null ? Verbs.None : Verbs.Update)
            | (resource?.Delete is null ? Verbs.None : Verbs.Delete);
        return dataset with
        {
            IsFetched = true,
            Takes = takes,
            ReadOnlyBecause = dataset.GoneBecause
                ?? (takes is Verbs.View ? "These can only be read: the API has no request that changes them." : dataset.ReadOnlyBecause),
        };
    }

    public override ISource Reach(SourceSettings settings, SourceServices services) =>
        new HttpSource(new HttpCalls(SettingsOf(settings), settings, services.Tokens), Resources(settings.Requests));

    /// <summary>The requests of a source; none where the text holds none.</summary>
    public static ImmutableArray<ApiResource> Resources(string requests) =>
        KindJson.Read<ImmutableArray<ApiResource>?[]>($"[{requests}]")?[0] ?? [];

    public static ApiSettings SettingsOf(SourceSettings settings)
    {
        var options = settings.ReadOptions();
        string Option(string key) => options.GetValueOrDefault(key, "").Trim();
        return new ApiSettings
        {
            Address = Option("Address").TrimEnd('/'),
            Headers = Pairs(Option("Headers")),
            Variables = Pairs(Option("Variables")),
            SignIn = Option(SignIn) switch
            {
                "basic" => new ApiSignIn.Basic(settings.User),
                "bearer" => new ApiSignIn.Bearer(),
                "key" => new ApiSignIn.Key(Option("KeyName"), Option("KeyPlace") == "query"),
                "clientCredentials" => new ApiSignIn.ClientCredentials(
                    Option("TokenAddress"),
                    Option("ClientId"),
                    Option("Scope") is { Length: > 0 } scope ? scope : null
                ),
                "token" => new ApiSignIn.Token(
                    Option("TokenPath"),
                    settings.User,
                    Option("TokenBody"),
                    Option("TokenPointer"),
                    Option("LifetimePointer") is { Length: > 0 } lifetime ? lifetime : null
                ),
                _ => new ApiSignIn.None(),
            },
        };
    }

    /// <summary>Names and values, one pair a line with a colon between.</summary>
    public static ImmutableArray<ApiPair> Pairs(string lines) =>
        [
            .. lines
                .Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Select(line => line.Split(':', 2, StringSplitOptions.TrimEntries))
                .Where(parts => parts is [{ Length: > 0 }, _])
                .Select(parts => new ApiPair(parts[0], parts[1])),
        ];
}
