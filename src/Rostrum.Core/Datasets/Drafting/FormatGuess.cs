namespace Rostrum.Core.Datasets.Drafting;

/// <summary>Guesses how a column's values are shown, and which texts are choices, from its name and its values.</summary>
public static class FormatGuess
{
    private static readonly HashSet<string> MoneyWords = new(StringComparer.OrdinalIgnoreCase)
    {
        "amount",
        "balance",
        "budget",
        "charge",
        "cost",
        "costs",
        "credit",
        "debit",
        "deposit",
        "fare",
        "fee",
        "fees",
        "income",
        "payment",
        "price",
        "revenue",
        "salary",
        "subtotal",
        "tax",
        "total",
        "turnover",
        "value",
        "wage",
    };

    // Of such a column a few values are all that there can be.
    private static readonly HashSet<string> ChoiceWords = new(StringComparer.OrdinalIgnoreCase)
    {
        "category",
        "class",
        "condition",
        "gender",
        "grade",
        "kind",
        "level",
        "mode",
        "phase",
        "priority",
        "rank",
        "severity",
        "stage",
        "state",
        "status",
        "tier",
        "type",
        "urgency",
    };

    /// <summary>Whether a column's name says that its texts are one of a few.</summary>
    public static bool MayBeChoice(ColumnStructure column)
    {
        ArgumentNullException.ThrowIfNull(column);
        return column.Type is FieldType.Text { Long: false } && ChoiceWords.Contains(LastWord(column.Name));
    }

    /// <summary>Whether a column's name says that its numbers are shares.</summary>
    public static bool MayBePercent(ColumnStructure column)
    {
        ArgumentNullException.ThrowIfNull(column);
        return column.Type.IsNumeric && LastWord(column.Name) == "%";
    }

    /// <summary>The format; null where the usual way of its type is right.</summary>
    /// <param name="column">The column.</param>
    /// <param name="type">What its values are.</param>
    /// <param name="currency">The workspace's currency, by ISO 4217.</param>
    public static DisplayFormat? For(ColumnStructure column, FieldType type, string currency)
    {
        ArgumentNullException.ThrowIfNull(column);
        ArgumentNullException.ThrowIfNull(type);
        var word = LastWord(column.Name).ToLowerInvariant();
        return type switch
        {
            FieldType.Text { Long: false } => column.Values?.Shape switch
            {
                TextShape.EmailAddress => new DisplayFormat.EmailAddress(),
                TextShape.PictureAddress => new DisplayFormat.Picture(),
                TextShape.WebAddress => new DisplayFormat.WebAddress(),
                TextShape.Colour => new DisplayFormat.Swatch(),
                TextShape.PhoneNumber when IsPhone(word) => new DisplayFormat.PhoneNumber(),
                null when word is "email" or "mail" => new DisplayFormat.EmailAddress(),
                null when IsPhone(word) => new DisplayFormat.PhoneNumber(),
                null when word is "url" or "website" or "homepage" => new DisplayFormat.WebAddress(),
                _ => null,
            },
            _ when MayBePercent(column) => new DisplayFormat.Percent(
                (type as FieldType.Number)?.Scale ?? 0,
                OfHundred: column.Values is not { IsShare: true }
            ),
            FieldType.Number { Scale: 2 or null } when MoneyWords.Contains(word) => new DisplayFormat.Money(currency),
            _ => null,
        };
    }

    private static bool IsPhone(string word) => word is "phone" or "mobile" or "fax" or "telephone" or "cell";

    private static string LastWord(string name) => Wording.Label(name).Split(' ')[^1];
}
