using System.Collections.Immutable;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>What a dataset's records must be like to be saved, whatever the way in.</summary>
public abstract record Rule
{
    private Rule() { }

    /// <summary>Tells it from the dataset's other rules.</summary>
    public required string Name { get; init; }

    /// <summary>The field at which it speaks; null where it concerns the whole record.</summary>
    public FieldName? Field { get; init; }

    /// <summary>What people read where it is broken.</summary>
    public required string Message { get; init; }

    /// <summary>A record that breaks it can be saved all the same, by whoever has seen the message.</summary>
    public bool Warns { get; init; }

    /// <summary>
    /// It is not checked where a record is changed and its field is not: records that broke it before can be saved all the same.
    /// </summary>
    public bool OnlyOnChange { get; init; }

    /// <summary>Whether it is checked for a save.</summary>
    /// <param name="isNew">The record is new.</param>
    /// <param name="values">The values that are written.</param>
    public bool AppliesTo(bool isNew, FieldValues values)
    {
        ArgumentNullException.ThrowIfNull(values);
        return isNew || !OnlyOnChange || Field is not { } at || values.Has(at);
    }

    /// <summary>A condition holds.</summary>
    /// <param name="Must">The condition, a formula over the record.</param>
    public sealed record Holds(string Must) : Rule
    {
        /// <summary>A formula: the rule is held against the records for which it is true; against all where null.</summary>
        public string? When { get; init; }

        /// <summary>Whether this is the whole of it: the field must have a value.</summary>
        public bool IsRequirement =>
            When is null
            && !Warns
            && Field is { } at
            && ConditionFormula.Read(Must) is Condition.Test { Question: Question.IsGiven } test
            && test.Name is [var name]
            && name.Equals(at.Value, StringComparison.OrdinalIgnoreCase);

        /// <summary>A formula that is true where the rule is kept.</summary>
        /// <remarks>A rule that speaks at a field says nothing of a record in which that field is blank, unless it asks for that
        /// itself.</remarks>
        public string Formula
        {
            get
            {
                var given = Field is { } at && !AsksForBlank(Must, at) ? $"NOT(ISEMPTY({Formatter.Name(at.Value)}))" : null;
                return (When, given) switch
                {
                    (null, null) => Must,
                    (null, _) => $"IF({given}, {Must}, TRUE)",
                    (_, null) => $"IF({When}, {Must}, TRUE)",
                    _ => $"IF(AND({When}, {given}), {Must}, TRUE)",
                };
            }
        }

        private static bool AsksForBlank(string formula, FieldName field) =>
            Parser.Parse(formula).Tree is var tree
            && Calls(tree)
                .Any(call =>
                    call.Function.ToUpperInvariant() is "ISBLANK" or "ISEMPTY" or "IFBLANK"
                    && call.Arguments.Any(argument =>
                        argument is Syntax.Name name && name.Value.Equals(field.Value, StringComparison.OrdinalIgnoreCase)
                    )
                );

        private static IEnumerable<Syntax.Call> Calls(Syntax tree) =>
            tree switch
            {
                Syntax.Call call => call.Arguments.SelectMany(Calls).Prepend(call),
                Syntax.Binary binary => Calls(binary.Left).Concat(Calls(binary.Right)),
                Syntax.Prefix prefix => Calls(prefix.Operand),
                Syntax.Percent percent => Calls(percent.Operand),
                Syntax.Member member => Calls(member.Of),
                _ => [],
            };
    }

    /// <summary>No two records have the same values in these fields; a blank is like no other.</summary>
    public sealed record Unique(ImmutableArray<FieldName> Fields) : Rule;
}
