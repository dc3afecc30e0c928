using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Files;

/// <summary>Reads one folder: first which datasets it names, then the documents that refer to them.</summary>
internal sealed class AppFolderReader(AppFolder folder, KnownDatasets known)
{
    private readonly Dictionary<string, YamlDocumentText> _documents = new(StringComparer.Ordinal);
    private readonly ImmutableArray<FileProblem>.Builder _problems = ImmutableArray.CreateBuilder<FileProblem>();
    private readonly Names<DatasetId> _datasets = new("dataset");
    private readonly Names<SourceId> _sources = new("source");

    public AppReading Read()
    {
        foreach (var (file, text) in folder.Files.Where(file => file.Key.EndsWith(".yaml", StringComparison.Ordinal)))
        {
            var (document, problem, line) = YamlText.Read(text);
            if (document is null)
            {
                _problems.Add(new FileProblem(file, line, problem!));
            }
            else
            {
                _documents.Add(file, document);
            }
        }

        if (!folder.Files.ContainsKey(AppFolder.AppFile))
        {
            _problems.Add(
                new FileProblem(AppFolder.AppFile, 1, "This file is missing: it says what the app is called and which pages it has.")
            );
        }

        var names = _documents
            .Keys.Select(file => file.Split('/'))
            .Where(path => path is ["datasets", _])
            .Select(path => Path.GetFileNameWithoutExtension(path[1]))
            .ToArray();
        foreach (var name in names)
        {
            Identify(name);
        }

        if (_problems.Count > 0)
        {
            return new AppReading.Failed(_problems.ToImmutable());
        }

        var options = FileJson.Options(_datasets, _sources);
        var head = Document<AppFiles.Head>(AppFolder.AppFile, options);
        if (head?.Rostrum > AppFiles.Head.Newest)
        {
            _problems.Add(
                new FileProblem(
                    AppFolder.AppFile,
                    1,
                    $"These files are of form {head.Rostrum}, and this Rostrum reads form {AppFiles.Head.Newest}. Use a newer Rostrum."
                )
            );
        }

        var datasets = names.Select(name => Document<Dataset>(AppFolder.DatasetFile(name), options)).OfType<Dataset>().ToImmutableArray();
        var pages = (head?.Pages ?? []).Select(address => PageOf(address, options)).OfType<Page>().ToImmutableArray();
        foreach (
            var extra in _documents.Keys.Where(file =>
                file.StartsWith("pages/", StringComparison.Ordinal)
                && head?.Pages.Any(address => AppFolder.PageFile(address) == file) == false
            )
        )
        {
            _problems.Add(
                new FileProblem(AppFolder.AppFile, 1, $"{extra} is not among the app's pages: add it to “pages”, or remove the file.")
            );
        }

        if (_problems.Count > 0 || head is null)
        {
            return new AppReading.Failed(_problems.ToImmutable());
        }

        var app = new AppDefinition(head.Name, pages) { Home = head.Home, Look = head.Look };
        var sources = datasets.Select(dataset => dataset.Source).Distinct().ToImmutableDictionary(id => id, _sources.NameOf);
        return new AppReading.Done(new PortableApp(head.Address, new FrozenApp(app, datasets), sources))
        {
            Documents = _documents.ToImmutableDictionary(),
        };
    }

    // A dataset is the one of that source and table that is known, or a new one.
    private void Identify(string name)
    {
        var file = AppFolder.DatasetFile(name);
        var document = _documents[file];
        if (document.Json["source"] is not JsonValue source || document.Json["table"] is not JsonObject table)
        {
            _problems.Add(new FileProblem(file, 1, "A dataset says its “source”, by name, and its “table”."));
            return;
        }

        var (called, of) = (source.ToString(), new TableName(table["schema"]?.ToString() ?? "", table["name"]?.ToString() ?? ""));
        if (known.IsWorkspace && !known.Sources.ContainsKey(called))
        {
            _problems.Add(
                new FileProblem(
                    file,
                    document.LineOf("$.source"),
                    $"There is no source “{called}” here. Connect it first, under that name."
                )
            );
            return;
        }

        if (_sources.Of(called) is not { } id)
        {
            id = known.Sources.TryGetValue(called, out var there) ? there : new SourceId(Guid.NewGuid());
            _sources.Add(called, id);
        }

        var same = known.Datasets.FirstOrDefault(dataset => dataset.Source == id && dataset.Table == of);
        if (known.IsWorkspace && same is null)
        {
            _problems.Add(new FileProblem(file, document.LineOf("$.table"), $"The source “{called}” has no table “{of}”."));
            return;
        }

        _datasets.Add(name, same?.Id ?? new DatasetId(Guid.NewGuid()));
        document.Json["id"] = name;
    }

    private Page? PageOf(string address, JsonSerializerOptions options)
    {
        var file = AppFolder.PageFile(address);
        if (!_documents.TryGetValue(file, out var document))
        {
            _problems.Add(
                new FileProblem(
                    AppFolder.AppFile,
                    _documents[AppFolder.AppFile].LineOf("$.pages"),
                    $"The app has a page “{address}”, and there is no file {file}."
                )
            );
            return null;
        }

        var page = Document<Page>(file, options);
        if (page is not null && page.Address != address)
        {
            _problems.Add(
                new FileProblem(
                    file,
                    document.LineOf("$.address"),
                    $"The page's address is “{page.Address}”, and the file's name says “{address}”."
                )
            );
        }

        return page;
    }

    private T? Document<T>(string file, JsonSerializerOptions options)
        where T : class
    {
        var document = _documents[file];
        try
        {
            return document.Json.Deserialize<T>(options);
        }
        catch (Exception exception) when (exception is JsonException or NotSupportedException)
        {
            var path = (exception as JsonException)?.Path ?? "$";
            _problems.Add(new FileProblem(file, document.LineOf(path), Plain(exception, path)));
            return null;
        }
    }

    // The reader's own words, without the .NET names in them.
    private static string Plain(Exception exception, string path)
    {
        var message = exception.Message.Split(" Path: ")[0];
        return message.StartsWith("The JSON value could not be converted", StringComparison.Ordinal)
                ? $"The value at “{path}” is not of the kind that is expected there."
            : message.StartsWith("The JSON property '", StringComparison.Ordinal)
                ? $"“{message.Split('\'')[1]}” is not a name that is known here."
            : message.Contains("missing required properties", StringComparison.Ordinal)
                ? $"Something is missing at “{path}”: {message[(message.LastIndexOf(':') + 1)..].Trim().TrimEnd('.')}."
            : message.Contains("unrecognized type discriminator", StringComparison.Ordinal) ? $"The kind at “{path}” is not known."
            : message;
    }
}
