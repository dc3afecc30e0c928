using System.Collections.Frozen;
using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>
/// What the language itself knows beside functions: it looks at only those arguments that it needs, or at a list's elements one by one.
/// </summary>
/// <param name="Name">In capitals.</param>
/// <param name="Signature">How it is written.</param>
/// <param name="Fewest">The fewest arguments.</param>
/// <param name="Most">The most.</param>
/// <param name="Does">What it does, for people.</param>
/// <param name="Examples">Formulas with their values; they are run as tests.</param>
public sealed record Form(string Name, string Signature, int Fewest, int Most, string Does, ImmutableArray<string> Examples);

/// <summary>All forms.</summary>
public static class Forms
{
    private static readonly FrozenDictionary<string, Form> ByName = new Form[]
    {
        new(
            "IF",
            "IF(condition, value, otherwise = BLANK)",
            2,
            3,
            "One value where a condition holds, and another where it does not.",
            ["IF(2 > 1, \"yes\", \"no\") → \"yes\"", "IF(BLANK, 1) → BLANK"]
        ),
        new(
            "IFS",
            "IFS(condition, value, …)",
            2,
            int.MaxValue,
            "The value after the first condition that holds; blank where none does.",
            ["IFS(1 > 2, \"a\", TRUE, \"b\") → \"b\""]
        ),
        new(
            "SWITCH",
            "SWITCH(value, match, result, …, otherwise)",
            3,
            int.MaxValue,
            "The result after the first match that is equal to the value.",
            ["SWITCH(2, 1, \"one\", 2, \"two\", \"many\") → \"two\"", "SWITCH(9, 1, \"one\", \"many\") → \"many\""]
        ),
        new(
            "CHOOSE",
            "CHOOSE(number, value, …)",
            2,
            int.MaxValue,
            "The value at a place, counted from 1; blank where there is none.",
            ["CHOOSE(2, \"a\", \"b\") → \"b\"", "CHOOSE(3, \"a\", \"b\") → BLANK"]
        ),
        new(
            "AND",
            "AND(condition, …)",
            1,
            int.MaxValue,
            "Whether all conditions hold; a blank one does not.",
            ["AND(TRUE, 1 < 2) → TRUE", "AND(TRUE, BLANK) → FALSE"]
        ),
        new(
            "OR",
            "OR(condition, …)",
            1,
            int.MaxValue,
            "Whether one of the conditions holds.",
            ["OR(FALSE, BLANK) → FALSE", "OR(FALSE, TRUE) → TRUE"]
        ),
        new("IFBLANK", "IFBLANK(value, other)", 2, 2, "The value, or another where it is blank.", ["IFBLANK(1 / 0, 7) → 7"]),
        new(
            "FILTER",
            "FILTER(list, condition)",
            2,
            2,
            "The records of a list for which a condition holds. Bare names are the element's; the outer record is record.",
            []
        ),
        new("SORT", "SORT(list, key, ascending = TRUE)", 2, 3, "The records of a list in the order of a key; blanks last.", []),
        new("ALL", "ALL(list, condition)", 2, 2, "Whether a condition holds for every record of a list; TRUE of an empty one.", []),
        new("ANY", "ANY(list, condition)", 2, 2, "Whether a condition holds for one record of a list at least.", []),
        new("LABEL", "LABEL(choice)", 1, 1, "What people read for a choice.", []),
        new("TITLE", "TITLE(record)", 1, 1, "What names a record to people; blank where it has none.", []),
    }.ToFrozenDictionary(form => form.Name, StringComparer.OrdinalIgnoreCase);

    /// <summary>The forms in the order of their names.</summary>
    public static IEnumerable<Form> All => ByName.Values.OrderBy(form => form.Name, StringComparer.Ordinal);

    /// <summary>Their names.</summary>
    public static IEnumerable<string> Names => ByName.Keys;

    /// <summary>A form by its name, or null.</summary>
    public static Form? Find(string name) => ByName.GetValueOrDefault(name);
}
