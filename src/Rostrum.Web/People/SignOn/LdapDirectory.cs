using System.Collections.Immutable;
using System.DirectoryServices.Protocols;
using System.Net;
using System.Text;
using Rostrum.Core.Access.SignIn;
using Rostrum.Store;

namespace Rostrum.Web.People.SignOn;

/// <summary>What a directory says to a name and a password.</summary>
internal abstract record DirectoryAnswer
{
    private DirectoryAnswer() { }

    /// <summary>Both are right.</summary>
    public sealed record Known(KnownBy Person) : DirectoryAnswer;

    /// <summary>Nobody has that name, or the password is another.</summary>
    public sealed record Refused : DirectoryAnswer;

    /// <summary>The directory could not be asked.</summary>
    public sealed record Failed(Exception Fault) : DirectoryAnswer;
}

/// <summary>Asks a directory by LDAP who somebody is: looks for the entry, then binds as it with the password that was typed.</summary>
internal sealed class LdapDirectory(ProviderSecrets secrets)
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(8);
    private const int InvalidCredentials = 49;
    private const int ServerDown = 81;
    private const int NoConnection = 91;

    public async Task<DirectoryAnswer> FindAsync(
        SignInProvider provider,
        ProviderSettings.Directory settings,
        string name,
        string password,
        CancellationToken cancellation
    )
    {
        var (answer, fault) = await AskAsync(provider, secret => Find(settings, secret, name, password), cancellation);
        return answer ?? new DirectoryAnswer.Failed(fault!);
    }

    /// <summary>Looks whether people can be looked for.</summary>
    /// <returns>How many entries there are, or what the matter is.</returns>
    public async Task<(string? Answer, string? Problem)> CheckAsync(
        SignInProvider provider,
        ProviderSettings.Directory settings,
        CancellationToken cancellation
    )
    {
        var (found, fault) = await AskAsync(provider, secret => (int?)Count(settings, secret), cancellation);
        return (found, fault) switch
        {
            (0, _) => (null, "It answers, and shows nobody below that entry with that filter."),
            ({ } many, _) => ($"It answers, and knows {many} {(many == 1 ? "person" : "people")}.", null),
            (_, LdapException { ErrorCode: NoConnection }) when settings.StartTls => (
                null,
                "No encrypted connection: this machine does not trust the directory's certificate, or it offers no StartTLS."
            ),
            _ => (null, $"It cannot be asked: {fault!.Message}"),
        };
    }

    // The library waits without letting go of its thread.
    private async Task<(T? Answer, Exception? Fault)> AskAsync<T>(
        SignInProvider provider,
        Func<string, T> ask,
        CancellationToken cancellation
    )
    {
        try
        {
            var secret = secrets.Unprotect(provider.ProtectedSecret);
            return (await Task.Run(() => ask(secret), cancellation).WaitAsync(Longest * 2, cancellation), null);
        }
        catch (Exception fault) when (fault is LdapException or DirectoryException or TimeoutException)
        {
            return (default, fault);
        }
    }

    private static int Count(ProviderSettings.Directory settings, string secret)
    {
        using var connection = Connect(settings);
        Bind(connection, settings.BindName, secret);
        var filter = settings.Filter.Replace("{name}", "*", StringComparison.Ordinal);
        return ((SearchResponse)connection.SendRequest(new SearchRequest(settings.SearchBase, filter, SearchScope.Subtree, "1.1"), Longest))
            .Entries
            .Count;
    }

    /// <summary>A text within a filter that means itself (RFC 4515, section 3).</summary>
    public static string Escaped(string text)
    {
        var escaped = new StringBuilder();
        foreach (var one in Encoding.UTF8.GetBytes(text))
        {
            escaped.Append(one is (byte)'*' or (byte)'(' or (byte)')' or (byte)'\\' or < 0x20 or > 0x7e ? $"\\{one:x2}" : $"{(char)one}");
        }

        return escaped.ToString();
    }

    private static DirectoryAnswer Find(ProviderSettings.Directory settings, string secret, string name, string password)
    {
        using var looking = Connect(settings);
        Bind(looking, settings.BindName, secret);
        var filter = settings.Filter.Replace("{name}", Escaped(name), StringComparison.Ordinal);
        var found = (
            (SearchResponse)looking.SendRequest(new SearchRequest(settings.SearchBase, filter, SearchScope.Subtree), Longest)
        ).Entries;
        // A name that means several people means nobody. A bind without a password says nothing of who binds.
        if (found.Count != 1 || password.Length == 0)
        {
            return new DirectoryAnswer.Refused();
        }

        var entry = found[0];
        using (var own = Connect(settings))
        {
            try
            {
                Bind(own, entry.DistinguishedName, password);
            }
            catch (LdapException refused) when (refused.ErrorCode == InvalidCredentials)
            {
                return new DirectoryAnswer.Refused();
            }
        }

        var claims = Claims(entry).Concat(Groups(looking, settings, entry.DistinguishedName)).Distinct().ToImmutableArray();
        string? First(string attribute) =>
            claims.FirstOrDefault(claim => claim.Type.Equals(attribute, StringComparison.OrdinalIgnoreCase))?.Value;
        return new DirectoryAnswer.Known(
            new KnownBy(
                First("entryUUID") ?? entry.DistinguishedName.ToLowerInvariant(),
                First(settings.NameAttribute),
                First(settings.MailAttribute),
                OwnsEmail: true,
                claims
            )
        );
    }

    private static LdapConnection Connect(ProviderSettings.Directory settings)
    {
        var connection = new LdapConnection(new LdapDirectoryIdentifier(settings.Host, settings.Port), credential: null, AuthType.Basic)
        {
            Timeout = Longest,
            AutoBind = false,
        };
        connection.SessionOptions.ProtocolVersion = 3;
        connection.SessionOptions.ReferralChasing = ReferralChasingOptions.None;
        if (settings.StartTls)
        {
            Reach(connection);
            connection.SessionOptions.StartTransportLayerSecurity(null);
            connection.AuthType = AuthType.Basic;
        }

        return connection;
    }

    // The library takes the server's address only when it binds: nobody binds first, and whether that is welcome does not matter.
    private static void Reach(LdapConnection connection)
    {
        connection.AuthType = AuthType.Anonymous;
        try
        {
            connection.Bind();
        }
        catch (LdapException refused) when (refused.ErrorCode is not ServerDown)
        {
            // It is there.
        }
    }

    private static void Bind(LdapConnection connection, string name, string password)
    {
        if (name.Length == 0)
        {
            connection.AuthType = AuthType.Anonymous;
            connection.Bind();
        }
        else
        {
            connection.Bind(new NetworkCredential(name, password));
        }
    }

    private static IEnumerable<PersonClaim> Claims(SearchResultEntry entry) =>
        from attribute in entry.Attributes.Values.Cast<DirectoryAttribute>()
        where !attribute.Name.Equals("userPassword", StringComparison.OrdinalIgnoreCase)
        from value in attribute.GetValues(typeof(string)).Cast<string>()
        select new PersonClaim(attribute.Name, value);

    // Groups are told by their common names, whether they name their members or the members name them.
    private static IEnumerable<PersonClaim> Groups(LdapConnection connection, ProviderSettings.Directory settings, string person)
    {
        if (settings.GroupBase.Length == 0)
        {
            return [];
        }

        var member = Escaped(person);
        var request = new SearchRequest(settings.GroupBase, $"(|(member={member})(uniqueMember={member}))", SearchScope.Subtree, "cn");
        return
        [
            .. from found in ((SearchResponse)connection.SendRequest(request, Longest)).Entries.Cast<SearchResultEntry>()
            from name in found.Attributes["cn"]?.GetValues(typeof(string)).Cast<string>() ?? []
            select new PersonClaim("groups", name),
        ];
    }
}
