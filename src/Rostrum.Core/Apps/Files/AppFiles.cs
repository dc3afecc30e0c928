using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Files;

/// <summary>
/// Writes an app as a folder of text files, in one order, so that a difference between two is the change that was made; and reads such a
/// folder.
/// </summary>
public static class AppFiles
{
    /// <summary>The form of the files. Files of a later one are refused.</summary>
    private const int Form = 1;

    // What people look for stands first.
    private static readonly string[] First = ["rostrum", "address", "kind", "name", "label", "heading", "source", "table", "dataset"];

    /// <summary>Writes an app.</summary>
    public static AppFolder Write(PortableApp portable)
    {
        ArgumentNullException.ThrowIfNull(portable);
        var (app, datasets) = (portable.Frozen.App, portable.Frozen.Datasets);
        var (names, sources) = (NamesOf(portable), new Names<SourceId>("source"));
        foreach (var (id, name) in portable.Sources)
        {
            sources.Add(name, id);
        }

        var options = FileJson.Options(names, sources);
        string Text<T>(T document, params IEnumerable<(string Name, JsonNode? Value)> more)
        {
            var tree = (JsonObject)JsonSerializer.SerializeToNode(document, options)!;
            tree.Remove("id");
            foreach (var (name, value) in more)
            {
                tree[name] = value;
            }

            return YamlText.Write(InOrder(tree)!);
        }

        var head = new Head(app.Name, [.. app.Pages.Select(page => page.Address)]) { Home = app.Home, Look = app.Look };
        return AppFolder.Of([
            KeyValuePair.Create(AppFolder.AppFile, Text(head, ("rostrum", Form), ("address", portable.Address))),
            .. app.Pages.Select(page => KeyValuePair.Create(AppFolder.PageFile(page.Address), Text(page))),
            .. datasets.Select(dataset => KeyValuePair.Create(AppFolder.DatasetFile(names.NameOf(dataset.Id)), Text(dataset))),
        ]);
    }

    /// <summary>Reads a folder.</summary>
    /// <param name="folder">The files.</param>
    /// <param name="known">The datasets and sources that there are, so that they keep their identities; others get new ones.</param>
    public static AppReading Read(AppFolder folder, KnownDatasets known)
    {
        ArgumentNullException.ThrowIfNull(folder);
        ArgumentNullException.ThrowIfNull(known);
        return new AppFolderReader(folder, known).Read();
    }

    /// <summary>What is wrong with an app that was read, with the lines in which it is said.</summary>
    public static ImmutableArray<FileProblem> Check(AppReading.Done read, SignedIn? anybody)
    {
        ArgumentNullException.ThrowIfNull(read);
        var frozen = read.App.Frozen;
        return
        [
            .. from problem in AppProblems.Of(frozen.App, new DatasetCatalogue(frozen.Datasets), anybody)
            let file = problem.Page is { } page ? AppFolder.PageFile(page) : AppFolder.AppFile
            let prefix = problem.Panel is null ? "" : $"{problem.Panel}: "
            select new FileProblem(file, read.LineOf(frozen.App, problem), prefix + problem.Message, problem.Warns),
        ];
    }

    /// <summary>What an app's files call a dataset.</summary>
    public static string NameOf(PortableApp portable, DatasetId dataset)
    {
        ArgumentNullException.ThrowIfNull(portable);
        return NamesOf(portable).NameOf(dataset);
    }

    /// <summary>What a folder calls datasets: their names in formulas, with their source's before where two have the same.</summary>
    private static Names<DatasetId> NamesOf(PortableApp portable)
    {
        var names = new Names<DatasetId>("dataset");
        foreach (var alike in portable.Frozen.Datasets.GroupBy(dataset => dataset.Name))
        {
            foreach (var dataset in alike)
            {
                names.Add(
                    alike.Count() == 1
                        ? dataset.Name.Value
                        : $"{Slug(portable.Sources.GetValueOrDefault(dataset.Source, ""))}.{dataset.Name}",
                    dataset.Id
                );
            }
        }

        return names;
    }

    private static string Slug(string name) =>
        new([.. name.ToLowerInvariant().Select(letter => char.IsAsciiLetterOrDigit(letter) ? letter : '-')]);

    private static JsonNode? InOrder(JsonNode? node) =>
        node switch
        {
            JsonObject mapping => new JsonObject(
                mapping
                    .OrderBy(pair => Array.IndexOf(First, pair.Key) is >= 0 and var at ? at : First.Length)
                    .Select(pair => KeyValuePair.Create(pair.Key, InOrder(pair.Value)))
            ),
            JsonArray list => new JsonArray([.. list.Select(InOrder)]),
            _ => node?.DeepClone(),
        };

    internal sealed record Head(string Name, ImmutableArray<string> Pages)
    {
        public string? Home { get; init; }

        public AppLook? Look { get; init; }

        public int Rostrum { get; init; } = Form;

        public string Address { get; init; } = "";

        public static int Newest => Form;
    }
}

/// <summary>What a workspace knows of datasets and sources, by their names.</summary>
/// <param name="Sources">The sources.</param>
/// <param name="Datasets">The datasets.</param>
public sealed record KnownDatasets(ImmutableDictionary<string, SourceId> Sources, ImmutableArray<Dataset> Datasets)
{
    /// <summary>Nothing: a folder is read by itself.</summary>
    public static KnownDatasets None { get; } = new(ImmutableDictionary<string, SourceId>.Empty, []);

    /// <summary>Sources that are not known are missing, and not made up.</summary>
    public bool IsWorkspace { get; init; }
}

/// <summary>What came of reading a folder.</summary>
public abstract record AppReading
{
    private AppReading() { }

    /// <summary>It is an app.</summary>
    public sealed record Done(PortableApp App) : AppReading
    {
        internal ImmutableDictionary<string, YamlDocumentText> Documents { get; init; } =
            ImmutableDictionary<string, YamlDocumentText>.Empty;

        /// <summary>The line of what a problem is about.</summary>
        internal int LineOf(AppDefinition app, AppProblem problem)
        {
            var file = problem.Page is { } address ? AppFolder.PageFile(address) : AppFolder.AppFile;
            if (!Documents.TryGetValue(file, out var document))
            {
                return 1;
            }

            var path =
                problem is { Page: { } at, Panel: { } panel } && app.Find(at) is { } page ? PathOf(page.Panels, panel, "$.panels") : "$";
            return document.LineOf(problem.Setting is null ? path ?? "$" : $"{path}.{problem.Setting}");
        }

        private static string? PathOf(ImmutableArray<Panel> panels, string name, string path)
        {
            for (var at = 0; at < panels.Length; at++)
            {
                var here = $"{path}[{at}]";
                if (panels[at].Name == name)
                {
                    return here;
                }

                if (PathOf(panels[at].Panels, name, here + ".panels") is { } inner)
                {
                    return inner;
                }
            }

            return null;
        }
    }

    /// <summary>It is none, for these reasons.</summary>
    public sealed record Failed(ImmutableArray<FileProblem> Problems) : AppReading;
}
