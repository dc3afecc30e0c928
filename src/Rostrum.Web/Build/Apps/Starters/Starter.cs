using System.Collections.Immutable;
using System.Text.Json;
using System.Text.RegularExpressions;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Files;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Build.Apps.Starters;

/// <summary>
/// A ready app that a builder makes into one over tables of the workspace: a folder of app files in which words such as <c>THE_STATE</c>
/// stand for what the builder chooses.
/// </summary>
internal sealed partial record Starter(string Name, string Description)
{
    private static readonly Lazy<ImmutableArray<Starter>> Shipped = new(ReadAll);

    /// <summary>Its part of an address: its folder's name.</summary>
    public string Address { get; init; } = "";

    /// <summary>The tables that it needs.</summary>
    public ImmutableArray<TableNeed> Tables { get; init; } = [];

    /// <summary>The fields of these that it needs.</summary>
    public ImmutableArray<FieldNeed> Fields { get; init; } = [];

    /// <summary>The options of these that it needs.</summary>
    public ImmutableArray<OptionNeed> Options { get; init; } = [];

    /// <summary>Its app, as files.</summary>
    public AppFolder Folder { get; init; } = AppFolder.Of([]);

    /// <summary>A table.</summary>
    /// <param name="Name">The word that stands for it.</param>
    /// <param name="Label">What builders read.</param>
    /// <param name="Help">What it should be.</param>
    public sealed record TableNeed(string Name, string Label, string Help)
    {
        /// <summary>The table to whose records its own belong; null where it stands by itself.</summary>
        public string? RelatedTo { get; init; }
    }

    /// <summary>A choice field of a table.</summary>
    public sealed record FieldNeed(string Name, string Of, string Label, string Help);

    /// <summary>An option of a choice field.</summary>
    public sealed record OptionNeed(string Name, string Of, string Label);

    /// <summary>Those that ship with Rostrum.</summary>
    public static ImmutableArray<Starter> All => Shipped.Value;

    /// <summary>The fields of a dataset that can be chosen for a need: choices whose names formulas can say as they are.</summary>
    public static IEnumerable<Field> ChoicesOf(Dataset dataset) =>
        dataset.Fields.Where(field =>
            field is { Hidden: false, Type: FieldType.Choice, IsWritten: true } && Formatter.Name(field.Name.Value) == field.Name.Value
        );

    /// <summary>The app's files, with what was chosen in the place of the words.</summary>
    /// <param name="name">The app's name.</param>
    /// <param name="address">Its part of an address.</param>
    /// <param name="datasets">The datasets, by the words for tables.</param>
    /// <param name="chosen">The names of fields, and the options, by their words; and the names of relations by a table's word.</param>
    /// <param name="files">The files of the datasets, and what they call each.</param>
    public AppFolder Filled(
        string name,
        string address,
        IReadOnlyDictionary<string, Dataset> datasets,
        IReadOnlyDictionary<string, string> chosen,
        (AppFolder Folder, Func<Dataset, string> NameOf) files
    )
    {
        var words = new Dictionary<string, string>(StringComparer.Ordinal)
        {
            ["THE_NAME"] = Quoted(name),
            ["THE_ADDRESS"] = Quoted(address),
        };
        foreach (var (word, dataset) in datasets)
        {
            var table = AppDrafting.Table(dataset.Name.Value, dataset);
            var shown = AppDrafting.Visible(dataset);
            FieldName[] written = [.. shown.Where(field => dataset[field].ReadOnlyBecause is null)];
            words[word] = files.NameOf(dataset);
            words[$"{word}_LABEL"] = Quoted(dataset.Label);
            words[$"{word}_COLUMNS"] = Listed(table.Columns);
            words[$"{word}_FEW_COLUMNS"] = Listed(table.Columns.Take(3));
            words[$"{word}_FIELDS"] = Listed(shown);
            words[$"{word}_WRITTEN"] = Listed(written);
            words[$"{word}_SORT"] = string.Join(
                ", ",
                table.Sort.Select(sort => $"{{field: {Quoted(sort.Field.Value)}, descending: {(sort.Descending ? "true" : "false")}}}")
            );
            foreach (var field in Fields.Where(field => field.Of == word && chosen.ContainsKey(field.Name)))
            {
                words[$"{word}_WRITTEN_BUT_{field.Name}"] = Listed(written.Where(other => other.Value != chosen[field.Name]));
            }
        }

        foreach (var (word, text) in chosen)
        {
            words[word] = Options.Any(option => option.Name == word) ? Formatter.Format(new Syntax.Text(default, text)) : text;
        }

        return AppFolder.Of([
            .. files.Folder.Files.Where(file => file.Key.StartsWith("datasets/", StringComparison.Ordinal)),
            .. Folder.Files.Select(file =>
                KeyValuePair.Create(file.Key, Word().Replace(file.Value, match => words.GetValueOrDefault(match.Value, match.Value)))
            ),
        ]);
    }

    private static string Listed(IEnumerable<FieldName> fields) => string.Join(", ", fields.Select(field => Quoted(field.Value)));

    private static string Quoted(string text) => JsonSerializer.Serialize(text);

    private static ImmutableArray<Starter> ReadAll() =>
        [
            .. Directory
                .EnumerateDirectories(Path.Combine(AppContext.BaseDirectory, "starters"))
                .Order(StringComparer.Ordinal)
                .Select(folder =>
                    YamlDocuments.Read<Starter>(File.ReadAllText(Path.Combine(folder, "starter.yaml"))) with
                    {
                        Address = Path.GetFileName(folder),
                        Folder = Files.FolderOnDisk.Read(folder),
                    }
                ),
        ];

    [GeneratedRegex(@"\bTHE(_[A-Z]+)+\b", RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Word();
}
