using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>A query in SQL whose rows are records. <c>${ formula }</c> stands for a value, which is sent as a parameter.</summary>
/// <param name="Text">The text.</param>
/// <param name="Parameters">The names that its formulas have beside <c>user</c>.</param>
public sealed record DatasetQuery(string Text, ImmutableArray<QueryParameter> Parameters)
{
    /// <summary>It changes data and gives no rows: it is run as a step of an action.</summary>
    public bool IsStatement { get; init; }

    /// <summary>The names that its formulas have. A query is made anew and not changed: it belongs to these parameters.</summary>
    public FormulaShape Shape { get; } =
        new(
            "query",
            [
                .. Parameters.Select(parameter =>
                    KeyValuePair.Create(parameter.Name.Value, DatasetShapes.TypeOf(parameter.Type) ?? new FormulaType.Text())
                ),
            ]
        );

    /// <summary>What keeps the query from being run; null where nothing that can be seen without the database does.</summary>
    /// <param name="names">The names beside its own.</param>
    public string? Problem(FormulaNames names)
    {
        ArgumentNullException.ThrowIfNull(names);
        if (string.IsNullOrWhiteSpace(Text))
        {
            return IsStatement ? "Write a statement." : "Write a query.";
        }

        if (QueryText.Problem(Text, IsStatement) is { } problem)
        {
            return problem;
        }

        foreach (var formula in Template.Parse(Text).Parts.OfType<TemplatePart.Formula>())
        {
            var known = Checker.Check(formula.Parsed, Shape, names.Types);
            if (known.Tree is not { } tree)
            {
                return $"${{{formula.Parsed.Text}}}: {known.Problems[0].Message}";
            }

            if (tree.Type is FormulaType.Record or FormulaType.List or FormulaType.Json)
            {
                return $"${{{formula.Parsed.Text}}} gives a {tree.Type.Word}; a query takes single values.";
            }
        }

        return null;
    }

    /// <summary>The names in its formulas that are no parameters yet: simple ones, in the order in which they come.</summary>
    public IEnumerable<string> UnknownNames() =>
        Template
            .Parse(Text)
            .Parts.OfType<TemplatePart.Formula>()
            .Select(part => part.Parsed.Text.Trim())
            .Where(text =>
                text.Length > 0 && text.All(letter => char.IsAsciiLetterOrDigit(letter) || letter == '_') && !char.IsAsciiDigit(text[0])
            )
            .Where(text => Parameters.All(parameter => !parameter.Name.Value.Equals(text, StringComparison.OrdinalIgnoreCase)))
            .Where(text =>
                !text.Equals("user", StringComparison.OrdinalIgnoreCase) && text.ToUpperInvariant() is not ("TRUE" or "FALSE" or "BLANK")
            )
            .Distinct(StringComparer.OrdinalIgnoreCase);

    /// <summary>The value of each parameter for a request, in the order of the shape: what is given, else the default.</summary>
    public object?[] Values(IReadOnlyDictionary<string, object?> given, SignedIn? user, FormulaContext context) =>
        [
            .. Parameters.Select(parameter =>
                given.TryGetValue(parameter.Name.Value, out var value)
                    ? value
                    : DatasetShapes.Carried((FieldDefault.Value(parameter.AsField, user, context) as Parsed.Value)?.Is)
            ),
        ];
}

/// <summary>A parameter of a query.</summary>
/// <param name="Name">Its name in the query's formulas.</param>
/// <param name="Type">What its values are.</param>
/// <param name="Default">Its value where none is given: as it is typed, or a formula after <c>=</c>; blank where null.</param>
public sealed record QueryParameter(FieldName Name, FieldType Type, string? Default)
{
    /// <summary>The parameter as a field, for what is known of values of fields.</summary>
    public Field AsField =>
        new()
        {
            Name = Name,
            Column = Name.Value,
            NativeType = "",
            Label = Drafting.Wording.Label(Name.Value),
            Type = Type,
            Default = Default,
        };
}

/// <summary>A dataset made of two others: their records joined where pairs of fields have the same values.</summary>
/// <param name="Left">The one.</param>
/// <param name="Right">The other.</param>
/// <param name="Pairs">The fields that must have the same values, one of each.</param>
/// <param name="OnlyMatching">Records of the left one without a match are left out.</param>
/// <param name="Fields">What it shows, in the order of the dataset's columns.</param>
public sealed record DatasetJoin(
    DatasetId Left,
    DatasetId Right,
    ImmutableArray<JoinPair> Pairs,
    bool OnlyMatching,
    ImmutableArray<JoinField> Fields
);

/// <summary>Two fields that must have the same value.</summary>
public sealed record JoinPair(FieldName Left, FieldName Right);

/// <summary>A field that a join shows.</summary>
/// <param name="Column">The name of the column that it becomes.</param>
/// <param name="FromRight">It is the right one's.</param>
/// <param name="Field">The field there.</param>
public sealed record JoinField(string Column, bool FromRight, FieldName Field);
