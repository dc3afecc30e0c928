using System.Text.RegularExpressions;

namespace Rostrum.Core.Tests;

public sealed partial class StyleTests
{
    private const int LongestLine = 140;

    [Fact]
    public void No_line_of_code_is_longer_than_140_characters()
    {
        var files = new[] { "src", "tests", "bench" }
            .SelectMany(folder => Directory.EnumerateFiles(Path.Combine(Repository.Root, folder), "*.cs", SearchOption.AllDirectories))
            .Where(file => !file.Split(Path.DirectorySeparatorChar).Any(part => part is "bin" or "obj" or "Migrations"));
        var tooLong =
            from file in files
            from line in File.ReadLines(file).Select((text, index) => (Text: text, Number: index + 1))
            where line.Text.Length > LongestLine
            select $"{Path.GetRelativePath(Repository.Root, file)}:{line.Number}";
        Assert.Empty(tooLong);
    }

    /// <summary>An icon without its sign is a button that nobody sees.</summary>
    [Fact]
    public void Each_icon_that_a_page_names_has_its_sign()
    {
        var signs = File.ReadAllText(Path.Combine(Repository.Root, "src/Rostrum.Web/assets/scss/_fonts.scss"));
        var pages = Directory.EnumerateFiles(Path.Combine(Repository.Root, "src/Rostrum.Web"), "*.cshtml", SearchOption.AllDirectories);
        var named = pages
            .Where(file => !file.Split(Path.DirectorySeparatorChar).Any(part => part is "bin" or "obj"))
            .SelectMany(file => IconName().Matches(File.ReadAllText(file)).Select(match => match.Groups["name"].Value))
            .ToHashSet();
        Assert.InRange(named.Count, 20, 500);
        Assert.All(named, name => Assert.Contains($"\"{name}\":", signs, StringComparison.Ordinal));
    }

    // Of a name that is put together, such as bi-chevron-@…, the parts are not known here: it ends in a dash.
    [GeneratedRegex(@"\bbi-(?<name>[a-z0-9-]*[a-z0-9])(?![a-z0-9-])", RegexOptions.ExplicitCapture, matchTimeoutMilliseconds: 10_000)]
    private static partial Regex IconName();

    /// <summary>Only its own folder knows a kind of database; and where the store is in PostgreSQL itself, the store.</summary>
    [Fact]
    public void What_all_sources_share_names_no_kind_of_database()
    {
        string[] kinds = ["postgres", "npgsql", "mysql", "mariadb", "sqlite"];
        string[] shared =
        [
            .. new[] { "Sql", "Memory" }.Select(folder => $"src/Rostrum.Sources/{folder}"),
            .. new[] { "Build", "Live", "People" }.Select(folder => $"src/Rostrum.Web/{folder}"),
        ];
        var files = shared
            .SelectMany(folder => Directory.EnumerateFiles(Path.Combine(Repository.Root, folder), "*.cs*", SearchOption.AllDirectories))
            .Concat(Directory.EnumerateFiles(Path.Combine(Repository.Root, "src/Rostrum.Sources"), "*.cs"));
        var named =
            from file in files
            from line in File.ReadLines(file)
            where
                kinds.Any(kind => line.Contains(kind, StringComparison.OrdinalIgnoreCase))
                && !line.Contains("const string Usual", StringComparison.Ordinal)
            select $"{Path.GetRelativePath(Repository.Root, file)}: {line.Trim()}";
        Assert.Empty(named);
    }
}

/// <summary>The folder of the repository, for tests that hold its files to something.</summary>
internal static class Repository
{
    public static string Root { get; } = Find();

    private static string Find()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder.FullName, "Rostrum.slnx")))
        {
            folder = folder.Parent ?? throw new InvalidOperationException("no Rostrum.slnx above the tests");
        }

        return folder.FullName;
    }
}
