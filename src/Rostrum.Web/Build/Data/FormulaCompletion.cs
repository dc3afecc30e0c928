using System.Collections.Immutable;
using System.Reflection;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Build.Data;

/// <summary>One thing that a formula's editor offers.</summary>
/// <param name="Label">What is inserted.</param>
/// <param name="Kind">A name or a function.</param>
/// <param name="Detail">Its type, or its signature.</param>
/// <param name="Info">What it is at this moment, or what it does.</param>
internal sealed record FormulaOffer(string Label, string Kind, string Detail, string? Info)
{
    /// <summary>Of a choice, what it can be compared with: each option with what people read for it.</summary>
    public ImmutableArray<FormulaChoice>? Choices { get; init; }

    /// <summary>A name.</summary>
    public static FormulaOffer OfName(string name, FormulaType type, string? info) =>
        new(name, "name", type.Word, info)
        {
            Choices = type is FormulaType.Choice choice
                ? [.. choice.Options.Zip(choice.Labels, (option, label) => new FormulaChoice(option, label))]
                : null,
        };
}

/// <summary>An option of a choice, and what people read for it.</summary>
internal sealed record FormulaChoice(string Value, string Label);

/// <summary>
/// What a formula's editor offers while one types: the names with their types and their values in some record, and the functions.
/// </summary>
internal static class FormulaCompletion
{
    /// <summary>The functions.</summary>
    public static ImmutableArray<FormulaOffer> Functions { get; } =
    [
        .. FunctionCatalogue
            .Functions.Values.Select(overloads => new FormulaOffer(
                overloads[0].Name,
                "function",
                overloads[0].Signature,
                overloads[0].Method.GetCustomAttribute<FunctionAttribute>()!.Does
            ))
            .Concat(Forms.All.Select(form => new FormulaOffer(form.Name, "function", form.Signature, form.Does)))
            .OrderBy(offer => offer.Label, StringComparer.Ordinal),
    ];

    /// <summary>The offers as the editor reads them.</summary>
    /// <param name="page">The page about the table.</param>
    /// <param name="gate">Reads a record to show values of.</param>
    /// <param name="without">A name that the formula may not use: its own.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<string> JsonAsync(DatasetPage page, RecordGate gate, string? without, CancellationToken cancellation)
    {
        var names = Names(page.PickShape).Where(name => name.Name != without).ToArray();
        var columns = names
            .Where(name =>
                name.Type is not (FormulaType.Record or FormulaType.List or FormulaType.Json)
                && !name.Name.StartsWith("user.", StringComparison.Ordinal)
            )
            .Select((name, index) => (name.Name, Column: new ComputedColumn(new FieldName($"value {index}"), name.Name)))
            .ToArray();
        var request = new ReadRequest(page.Dataset.Id)
        {
            Computed = [.. columns.Select(column => column.Column)],
            Window = new PageWindow.FromStart(0, 1),
        };
        var record = await gate.ReadAsync(page.Catalogue, request, DatasetPage.Builder, cancellation)
            is ReadResult.Rows { Records: [var first, ..] }
            ? first
            : null;
        string? Now(string name, FormulaType type) =>
            record is not null && columns.FirstOrDefault(column => column.Name == name).Column is { } column
                ? record[column.Name] is { } value
                    ? $"{page.Format.Display(DatasetShapes.FieldTypeOf(type), value)} in “{record.Title}”"
                    : $"blank in “{record.Title}”"
                : null;
        return JsonSerializer.Serialize(
            names.Select(name => FormulaOffer.OfName(name.Name, name.Type, Now(name.Name, name.Type))).Concat(Functions),
            JsonSerializerOptions.Web
        );
    }

    /// <summary>The offers for a default, which knows the signed-in person and no record.</summary>
    public static string ForDefaults(DatasetPage page) =>
        JsonSerializer.Serialize(
            Names(new FormulaShape("", [KeyValuePair.Create(SignedIn.InFormulas, SignedIn.Names(page.Anybody).Types[SignedIn.InFormulas])]))
                .Select(name => FormulaOffer.OfName(name.Name, name.Type, null))
                .Concat(Functions),
            JsonSerializerOptions.Web
        );

    /// <summary>The names of a shape, two deep.</summary>
    public static IEnumerable<(string Name, FormulaType Type)> Names(FormulaShape shape)
    {
        foreach (var (name, type) in shape.Members)
        {
            yield return (Formatter.Name(name), type);
            var inner = type switch
            {
                FormulaType.Record record => record.Shape,
                FormulaType.List { Element: FormulaType.Record record } => record.Shape,
                _ => null,
            };
            foreach (var (part, partType) in inner?.Members ?? [])
            {
                if (partType is not (FormulaType.Record or FormulaType.List or FormulaType.Json))
                {
                    yield return (
                        $"{Formatter.Name(name)}.{Formatter.Name(part)}",
                        type is FormulaType.List ? new FormulaType.List(partType) : partType
                    );
                }
            }
        }
    }
}
