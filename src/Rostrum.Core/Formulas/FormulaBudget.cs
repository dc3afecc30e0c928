namespace Rostrum.Core.Formulas;

/// <summary>
/// How much the formulas of one request may compute, in steps: a call is one, an element that a list function looks at is one, and a text
/// that comes of a call is one for each <see cref="LettersAStep"/> of its characters.
/// </summary>
/// <param name="steps">The steps.</param>
public sealed class FormulaBudget(long steps = FormulaBudget.Usual)
{
    /// <summary>The steps of a request: about a second of computing, and some 200 MB of texts.</summary>
    public const long Usual = 25_000_000;

    private const int LettersAStep = 4;
    private long _left = steps;

    /// <summary>Takes steps away. Formulas of one request are computed side by side.</summary>
    /// <exception cref="FormulaBudgetException">None are left.</exception>
    internal void Spend(long spent)
    {
        if (Interlocked.Add(ref _left, -spent) < 0)
        {
            throw new FormulaBudgetException();
        }
    }

    /// <summary>A text that came of a call.</summary>
    internal static string? Spent(string? text, FormulaContext context)
    {
        context.Budget.Spend(1 + ((text?.Length ?? 0) / LettersAStep));
        return text;
    }

    /// <summary>A list that is looked through.</summary>
    internal static IReadOnlyList<object?> Spent(IReadOnlyList<object?> list, FormulaContext context)
    {
        context.Budget.Spend(1 + list.Count);
        return list;
    }
}

/// <summary>The formulas of a request would compute too much.</summary>
public sealed class FormulaBudgetException()
    : Exception("The formulas here compute too much. Narrow the list, or make the formula simpler.");
