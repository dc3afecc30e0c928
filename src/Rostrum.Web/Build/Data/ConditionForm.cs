using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Build.Data;

/// <summary>A condition in its form, complete or not: what is picked from lists, or a formula's text.</summary>
/// <param name="Prefix">What the names of its inputs begin with.</param>
/// <param name="Picked">What is picked; null where the condition stands as a formula.</param>
/// <param name="Text">The formula's text, where it stands as one.</param>
internal sealed record ConditionForm(string Prefix, ConditionGroup? Picked, string Text)
{
    /// <summary>Why it did not become what was asked for.</summary>
    public string? Note { get; init; }

    /// <summary>A formula in the form that suits it: picked where lists can say it.</summary>
    public static ConditionForm Of(string prefix, string? formula) =>
        string.IsNullOrWhiteSpace(formula) ? new(prefix, ConditionGroup.Empty, "")
        : ConditionFormula.Read(formula) is { } condition ? new(prefix, ConditionGroup.Of(condition), formula)
        : new(prefix, null, formula);

    /// <summary>What was posted, after what was asked for with it: another row, another group, one less, or the other view.</summary>
    public static ConditionForm Posted(string prefix, IFormCollection form, FormulaShape shape)
    {
        var text = form[$"{prefix}.formula"].ToString();
        var asked = form["do"].ToString().Split(':');
        var mine = asked.Length >= 2 && asked[0] == prefix;
        if (form[$"{prefix}.as"].ToString() == "formula")
        {
            var kept = new ConditionForm(prefix, null, text);
            return !mine || asked[1] != "pick" ? kept
                : text.Trim().Length == 0 ? new(prefix, ConditionGroup.Empty, "")
                : ConditionFormula.Read(text) is { } condition ? new(prefix, ConditionGroup.Of(condition), text)
                : kept with { Note = "This formula says more than the lists offer, so it stays a formula." };
        }

        var picked = ConditionGroup.Posted(prefix, form);
        var now = new ConditionForm(prefix, picked, "");
        return !mine
            ? now
            : asked[1] switch
            {
                "write" => now.Condition(shape) is (var condition, _) && condition is not null
                    ? new(prefix, null, ConditionFormula.Write(condition))
                : picked.IsEmpty ? new(prefix, null, "")
                : now with { Note = "Complete the conditions first; then they can be seen as a formula." },
                "test" or "group" or "remove" when asked.Length == 3 => now with
                {
                    Picked = picked.Changed(
                        asked[1],
                        [
                            .. asked[2]
                                .Split('-', StringSplitOptions.RemoveEmptyEntries)
                                .Select(part => int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var at) ? at : -1),
                        ]
                    ),
                },
                _ => now,
            };
    }

    /// <summary>The formula, or what is missing; neither where there is no condition at all.</summary>
    public (string? Formula, string? Problem) Formula(FormulaShape shape)
    {
        if (Picked is null)
        {
            return (string.IsNullOrWhiteSpace(Text) ? null : Text.Trim(), null);
        }

        var (condition, problem) = Condition(shape);
        return (condition is null ? null : ConditionFormula.Write(condition), problem);
    }

    private (Condition? Condition, string? Problem) Condition(FormulaShape shape) =>
        Picked!.IsEmpty ? (null, null) : Picked.Condition(shape);
}

/// <summary>A part of a picked condition.</summary>
internal abstract record ConditionPart
{
    /// <summary>The condition, or what is missing in it.</summary>
    public abstract (Condition? Condition, string? Problem) Condition(FormulaShape shape);
}

/// <summary>Conditions of which all hold, or one.</summary>
internal sealed record ConditionGroup(bool Any, ImmutableArray<ConditionPart> Parts) : ConditionPart
{
    public static ConditionGroup Empty { get; } = new(false, [new ConditionRow("", Question.Is, "value", "", [])]);

    /// <summary>Nothing has been picked yet.</summary>
    public bool IsEmpty => Parts.All(part => part is ConditionRow { Name: "" } or ConditionGroup { IsEmpty: true });

    public static ConditionGroup Of(Condition condition) =>
        condition switch
        {
            Core.Datasets.Rules.Condition.All all => new(false, [.. all.Parts.Select(PartOf)]),
            Core.Datasets.Rules.Condition.Any any => new(true, [.. any.Parts.Select(PartOf)]),
            _ => new(false, [PartOf(condition)]),
        };

    /// <summary>Reads the rows in the order in which they stand: a group begins with "all" or "any" and ends with "end".</summary>
    public static ConditionGroup Posted(string prefix, IFormCollection form)
    {
        string At(string part, int index) =>
            form[$"{prefix}.{part}"] is { Count: var count } values && index < count ? values[index] ?? "" : "";
        var kinds = new Queue<string>(form[$"{prefix}.row"].OfType<string>());
        var test = 0;
        ConditionGroup Group(bool any)
        {
            var parts = ImmutableArray.CreateBuilder<ConditionPart>();
            while (kinds.TryDequeue(out var kind) && kind != "end")
            {
                if (kind == "test")
                {
                    parts.Add(
                        new ConditionRow(
                            At("name", test),
                            Enum.TryParse<Question>(At("question", test), out var question) ? question : Question.Is,
                            At("with", test),
                            At("value", test),
                            [.. form[$"{prefix}.several.{test}"].OfType<string>()]
                        )
                    );
                    test++;
                }
                else
                {
                    parts.Add(Group(kind == "any"));
                }
            }

            return new ConditionGroup(any, parts.ToImmutable());
        }

        return kinds.TryDequeue(out var first) ? Group(first == "any") : Empty;
    }

    /// <summary>The group with a part added after a place, or taken away; the place is the way down to it.</summary>
    public ConditionGroup Changed(string how, ReadOnlySpan<int> place)
    {
        if (place.IsEmpty || place[0] < 0 || place[0] >= Parts.Length)
        {
            return this;
        }

        if (place.Length > 1)
        {
            return Parts[place[0]] is ConditionGroup inner && inner.Changed(how, place[1..]) is var changed
                ? this with
                {
                    Parts = changed.Parts.IsEmpty ? Parts.RemoveAt(place[0]) : Parts.SetItem(place[0], changed),
                }
                : this;
        }

        return how switch
        {
            "remove" => Parts.Length == 1 && Parts[0] is ConditionRow
                ? Empty with
                {
                    Any = Any,
                }
                : this with
                {
                    Parts = Parts.RemoveAt(place[0]),
                },
            "group" => this with { Parts = Parts.Insert(place[0] + 1, Empty with { Any = !Any }) },
            _ => this with { Parts = Parts.Insert(place[0] + 1, Empty.Parts[0]) },
        };
    }

    public override (Condition? Condition, string? Problem) Condition(FormulaShape shape)
    {
        var parts = ImmutableArray.CreateBuilder<Condition>();
        foreach (var part in Parts.Where(part => part is not (ConditionRow { Name: "" } or ConditionGroup { IsEmpty: true })))
        {
            var (condition, problem) = part.Condition(shape);
            if (condition is null)
            {
                return (null, problem);
            }

            parts.Add(condition);
        }

        return parts.Count switch
        {
            0 => (null, "Pick at least one condition."),
            1 => (parts[0], null),
            _ => (Any ? new Condition.Any(parts.ToImmutable()) : new Condition.All(parts.ToImmutable()), null),
        };
    }

    private static ConditionPart PartOf(Condition condition) => condition is Condition.Test test ? ConditionRow.Of(test) : Of(condition);
}

/// <summary>One question about one value, as it stands in its row.</summary>
/// <param name="Name">The value's name as formulas write it; empty where none is picked.</param>
/// <param name="Question">The question.</param>
/// <param name="With">What it is held against: a value, another value of the record, today or now.</param>
/// <param name="Text">What is typed or picked for that.</param>
/// <param name="Several">What is ticked, where a choice is held against several options.</param>
internal sealed record ConditionRow(string Name, Question Question, string With, string Text, ImmutableArray<string> Several)
    : ConditionPart
{
    /// <summary>The type of the value; null where there is no such value.</summary>
    public FormulaType? TypeIn(FormulaShape shape) => Typed(shape, Name);

    /// <summary>The questions that a type allows.</summary>
    public static IEnumerable<Question> Questions(FormulaType? type) =>
        type switch
        {
            FormulaType.Text =>
            [
                Question.Is,
                Question.IsNot,
                Question.IsGiven,
                Question.IsBlank,
                Question.IsOneOf,
                Question.IsNoneOf,
                Question.Contains,
                Question.StartsWith,
                Question.EndsWith,
                Question.Matches,
                Question.LengthAtMost,
                Question.LengthAtLeast,
            ],
            FormulaType.Choice => [Question.Is, Question.IsNot, Question.IsOneOf, Question.IsNoneOf, Question.IsGiven, Question.IsBlank],
            FormulaType.Number or FormulaType.Date or FormulaType.DateTime or FormulaType.Time =>
            [
                Question.AtLeast,
                Question.AtMost,
                Question.More,
                Question.Less,
                Question.Is,
                Question.IsNot,
                Question.IsGiven,
                Question.IsBlank,
            ],
            FormulaType.Boolean => [Question.Is, Question.IsGiven, Question.IsBlank],
            _ => [Question.Is, Question.IsGiven, Question.IsBlank],
        };

    /// <summary>
    /// The names that a condition can ask after, with their types: the record's own, those of the records it refers to, and the signed-in
    /// person's.
    /// </summary>
    public static IEnumerable<(string Name, FormulaType Type)> Names(FormulaShape shape)
    {
        static bool IsValue(FormulaType type) =>
            type is not (FormulaType.Record or FormulaType.List or FormulaType.Json or FormulaType.Blank);
        return shape
            .Members.Where(member => IsValue(member.Value))
            .Select(member => (Formatter.Name(member.Key), member.Value))
            .Concat(
                from member in shape.Members
                where member.Value is FormulaType.Record
                from inner in ((FormulaType.Record)member.Value).Shape.Members
                where IsValue(inner.Value)
                select ($"{Formatter.Name(member.Key)}.{Formatter.Name(inner.Key)}", inner.Value)
            );
    }

    public static ConditionRow Of(Condition.Test test)
    {
        var (with, text) = test.Operand switch
        {
            Operand.Value value => ("value", Said(value.Is)),
            Operand.Values values => ("value", string.Join(", ", values.Are.Select(Said))),
            Operand.Other other => ("field", ConditionFormula.Name(other.Name)),
            Operand.FromToday today => ("today", today.Days.ToString(CultureInfo.InvariantCulture)),
            Operand.FromNow now => ("now", now.Days.ToString(CultureInfo.InvariantCulture)),
            _ => ("value", ""),
        };
        return new ConditionRow(
            ConditionFormula.Name(test.Name),
            test.Question,
            with,
            text,
            test.Operand is Operand.Values several ? [.. several.Are.Select(Said)] : []
        );
    }

    public override (Condition? Condition, string? Problem) Condition(FormulaShape shape)
    {
        if (TypeIn(shape) is not { } type)
        {
            return (null, $"There is no “{Name}”. Pick another field.");
        }

        var name = Parts(Name);
        if (Question is Question.IsGiven or Question.IsBlank)
        {
            return (new Condition.Test(name, Question), null);
        }

        var (operand, problem) = Operand(shape, type);
        return operand is null ? (null, $"{Name}: {problem}") : (new Condition.Test(name, Question, operand), null);
    }

    private (Operand? Operand, string? Problem) Operand(FormulaShape shape, FormulaType type)
    {
        if (Question is Question.LengthAtLeast or Question.LengthAtMost)
        {
            return int.TryParse(Text.Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var length)
                ? (new Operand.Value((decimal)length), null)
                : (null, "write a number of characters.");
        }

        if (Question is Question.IsOneOf or Question.IsNoneOf)
        {
            var texts = Several.IsEmpty
                ? Text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                : [.. Several];
            return texts.Length < 2 ? (null, "name two values at least.") : (new Operand.Values([.. texts]), null);
        }

        return With switch
        {
            "field" when Typed(shape, Text) is { } other => FormulaType.Common(type, other) is null
                ? (null, $"{Text} is of another kind.")
                : (new Operand.Other(Parts(Text)), null),
            "field" => (null, "pick the field that it is held against."),
            "today" or "now" => Days() is { } days
                ? (With == "today" ? new Operand.FromToday(days) : new Operand.FromNow(days), null)
                : (null, "write a number of days, such as 0, 7 or -3."),
            _ => Value(type),
        };
    }

    private int? Days() =>
        Text.Trim().Length == 0 ? 0
        : int.TryParse(Text.Trim(), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var days)
        && days is > -100_000 and < 100_000
            ? days
        : null;

    private (Operand? Operand, string? Problem) Value(FormulaType type)
    {
        FieldType? input = type switch
        {
            FormulaType.Number => new FieldType.Number(),
            FormulaType.Date => new FieldType.Date(),
            FormulaType.Boolean => new FieldType.YesNo(),
            FormulaType.Text or FormulaType.Choice => new FieldType.Text(),
            _ => null,
        };
        return input is null
            ? (null, "it can be held against today, now or another field.")
            : FieldText.FromInput(input, Text, TimeZoneInfo.Utc) switch
            {
                Parsed.Value { Is: { } value } => (new Operand.Value(value), null),
                Parsed.Problem problem => (null, problem.Message),
                _ => (null, "write what it is held against."),
            };
    }

    private static FormulaType? Typed(FormulaShape shape, string name) =>
        name.Length == 0 ? null : Checker.Check(Parser.Parse(name), shape).Tree?.Type;

    // A name as it stands in a formula, taken apart.
    private static ImmutableArray<string> Parts(string name) => Parser.Parse(name).Tree is var tree ? PartsOf(tree) : [];

    private static ImmutableArray<string> PartsOf(Syntax tree) =>
        tree switch
        {
            Syntax.Name single => [single.Value],
            Syntax.Member member => PartsOf(member.Of).Add(member.Value),
            _ => [],
        };

    private static string Said(object value) =>
        value switch
        {
            bool yes => yes ? "true" : "false",
            decimal number => FieldText.ToCanonical(new FieldType.Number(), number),
            DateOnly date => FieldText.ToCanonical(new FieldType.Date(), date),
            _ => value.ToString()!,
        };
}
