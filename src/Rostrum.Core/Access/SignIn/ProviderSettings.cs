namespace Rostrum.Core.Access.SignIn;

/// <summary>How people are known by a service outside Rostrum. What is secret of it is kept elsewhere.</summary>
public abstract record ProviderSettings
{
    private ProviderSettings() { }

    /// <summary>An identity provider that speaks OpenID Connect (OpenID Connect Core 1.0, code flow with PKCE, RFC 7636).</summary>
    public sealed record OpenId : ProviderSettings
    {
        /// <summary>The issuer's address; its description is found below it (OpenID Connect Discovery 1.0).</summary>
        public required string Authority { get; init; }

        /// <summary>
        /// It is on this machine, where nothing need be encrypted: the demo's provider is. Everywhere else https is demanded.
        /// </summary>
        public bool IsOnThisMachine => Uri.TryCreate(Authority, UriKind.Absolute, out var address) && address.IsLoopback;

        /// <summary>The name by which the provider knows Rostrum.</summary>
        public required string ClientId { get; init; }

        /// <summary>What is asked for beside <c>openid</c>, with spaces between.</summary>
        public string Scopes { get; init; } = "profile email";
    }

    /// <summary>A directory that speaks LDAP (RFC 4511).</summary>
    public sealed record Directory : ProviderSettings
    {
        /// <summary>The server's name or address.</summary>
        public required string Host { get; init; }

        /// <summary>The server's port.</summary>
        public int Port { get; init; } = 389;

        /// <summary>Nothing is sent before the connection is encrypted (StartTLS, RFC 4513).</summary>
        public bool StartTls { get; init; } = true;

        /// <summary>As whom people are looked for; blank for nobody.</summary>
        public string BindName { get; init; } = "";

        /// <summary>Below which entry people are looked for.</summary>
        public required string SearchBase { get; init; }

        /// <summary>Which entries are people of a sign-in name, which stands for <c>{name}</c> (RFC 4515).</summary>
        public string Filter { get; init; } = "(uid={name})";

        /// <summary>The attribute with a person's name.</summary>
        public string NameAttribute { get; init; } = "cn";

        /// <summary>The attribute with the mail address.</summary>
        public string MailAttribute { get; init; } = "mail";

        /// <summary>Below which entry groups are looked for that name the person as a member; blank for none.</summary>
        public string GroupBase { get; init; } = "";
    }
}
