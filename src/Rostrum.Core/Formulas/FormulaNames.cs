using System.Collections.Immutable;
using System.Runtime.CompilerServices;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Names that formulas may use beside those of their record, such as <c>user</c>, with their types. What they stand for, each request says
/// in its <see cref="FormulaContext"/>.
/// </summary>
/// <remarks>What was found out about a formula is kept for as long as the shape of its records is: it holds for every request.</remarks>
/// <param name="types">The names. They are matched as the dictionary matches them.</param>
public sealed class FormulaNames(ImmutableDictionary<string, FormulaType> types)
{
    /// <summary>
    /// Values that people type into filters end up in formulas too: so many are kept for one shape, and then it begins anew.
    /// </summary>
    private const int MostKept = 2_000;

    private readonly ConditionalWeakTable<FormulaShape, KeptValues<(string Text, bool IsTree), CheckedFormula>> _checked = [];

    /// <summary>No names.</summary>
    public static FormulaNames None { get; } = new(ImmutableDictionary<string, FormulaType>.Empty);

    /// <summary>The names and their types.</summary>
    public ImmutableDictionary<string, FormulaType> Types => types;

    /// <summary>Checks a formula over records of a shape, once.</summary>
    /// <param name="shape">The names of its record.</param>
    /// <param name="formula">The formula, as text.</param>
    /// <param name="tree">The formula as a tree, where it was made as one: its text is not read then.</param>
    public CheckedFormula Check(FormulaShape shape, string formula, Syntax? tree = null) =>
        _checked
            .GetValue(shape, static _ => new KeptValues<(string, bool), CheckedFormula>(MostKept))
            .Get(
                // What was made as a tree has no places in a text: who asks by the text gets them.
                (formula, tree is not null),
                static (key, at) =>
                    Checker.Check(at.tree is { } tree ? new ParsedFormula(key.Text, tree, []) : Parser.Parse(key.Text), at.shape, at.types),
                (shape, types, tree)
            );
}
