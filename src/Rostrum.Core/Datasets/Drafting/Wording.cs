using System.Text;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>Names for people and for formulas, out of the names that databases have.</summary>
public static class Wording
{
    private static readonly string[] ReferenceEndings = ["_id", "_code", "_number", "_key", "_ref", "_no", "_uuid"];

    private static readonly string[] Abbreviations =
    [
        "API",
        "BIC",
        "CEO",
        "CSV",
        "DOB",
        "ETA",
        "ETD",
        "EU",
        "GPS",
        "GTIN",
        "HR",
        "IATA",
        "IBAN",
        "ICAO",
        "ID",
        "IMO",
        "IP",
        "ISBN",
        "ISO",
        "IT",
        "KPI",
        "MMSI",
        "PDF",
        "PIN",
        "PO",
        "SKU",
        "SLA",
        "SMS",
        "SSN",
        "UK",
        "URI",
        "URL",
        "USA",
        "UTC",
        "UUID",
        "VAT",
        "VIN",
        "XML",
    ];

    // Shortened words, and what people read instead.
    private static readonly Dictionary<string, string> Shortened = new(StringComparer.Ordinal)
    {
        ["addr"] = "address",
        ["amt"] = "amount",
        ["dept"] = "department",
        ["desc"] = "description",
        ["num"] = "number",
        ["qty"] = "quantity",
        ["tel"] = "phone",
    };

    // Those that mean this only where they end the name.
    private static readonly Dictionary<string, string> ShortenedAtTheEnd = new(StringComparer.Ordinal)
    {
        ["no"] = "number",
        ["pct"] = "%",
        ["percent"] = "%",
    };

    /// <summary>
    /// <c>captured_at</c>, <c>capturedAt</c> and <c>CAPTURED AT</c> all give "Captured at"; <c>po_no</c> gives "PO number", and
    /// <c>discount_pct</c> "Discount %".
    /// </summary>
    public static string Label(string name)
    {
        var words = Words(name).ToArray();
        var label = string.Join(' ', words.Select((word, at) => Spoken(word, last: at > 0 && at == words.Length - 1)));
        return label.Length == 0 ? name : char.ToUpperInvariant(label[0]) + label[1..];
    }

    /// <summary>A label inside a sentence: small letters, but for abbreviations.</summary>
    public static string InSentence(string label)
    {
        ArgumentNullException.ThrowIfNull(label);
        var words = label.Split(' ').Select(word => Abbreviations.Contains(word, StringComparer.Ordinal) ? word : word.ToLowerInvariant());
        return string.Join(' ', words);
    }

    private static string Spoken(string word, bool last) =>
        Array.Find(Abbreviations, known => known.Equals(word, StringComparison.OrdinalIgnoreCase))
        ?? (last ? ShortenedAtTheEnd.GetValueOrDefault(word) : null)
        ?? Shortened.GetValueOrDefault(word, word);

    /// <summary>A name that formulas can write without quotes, which none of those taken already has.</summary>
    public static FieldName FieldName(string name, IEnumerable<FieldName> taken)
    {
        ArgumentNullException.ThrowIfNull(taken);
        var plain = string.Join(
            '_',
            Words(name)
                .Select(word => new string([.. word.Normalize(NormalizationForm.FormC).Where(char.IsLetterOrDigit)]))
                .Where(word => word.Length > 0)
        );
        plain = plain.Length == 0 || char.IsDigit(plain[0]) ? $"field_{plain}".TrimEnd('_') : plain;
        var used = taken.Select(other => other.Value).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var candidate = plain;
        for (var i = 2; used.Contains(candidate); i++)
        {
            candidate = $"{plain}_{i}";
        }

        return new FieldName(candidate);
    }

    // Letters that Unicode takes apart into no letter of ASCII.
    private static readonly (string From, string To)[] Letters =
    [
        ("ß", "ss"),
        ("æ", "ae"),
        ("ø", "o"),
        ("œ", "oe"),
        ("đ", "d"),
        ("ł", "l"),
    ];

    /// <summary>
    /// A name as a part of an address: small letters of ASCII, digits and hyphens, 40 at most; <c>app</c> where none is left.
    /// </summary>
    public static string Address(string name)
    {
        var words = Words(
                Letters.Aggregate(name.ToLowerInvariant(), (text, letter) => text.Replace(letter.From, letter.To, StringComparison.Ordinal))
            )
            .Select(word => new string([.. word.Normalize(NormalizationForm.FormD).Where(char.IsAsciiLetterOrDigit)]))
            .Where(word => word.Length > 0);
        var address = string.Join('-', words);
        address = address.Length > 40 ? address[..40].TrimEnd('-') : address;
        return address.Length > 0 && char.IsAsciiLetter(address[0]) ? address : $"app-{address}".TrimEnd('-');
    }

    /// <summary>What a referring column refers to: <c>route_code</c> gives <c>route</c>, <c>home_port</c> stays.</summary>
    public static string WithoutReferenceEnding(string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        var ending = ReferenceEndings.FirstOrDefault(ending =>
            name.Length > ending.Length && name.EndsWith(ending, StringComparison.OrdinalIgnoreCase)
        );
        return ending is null ? name : name[..^ending.Length];
    }

    /// <summary>"Fuel logs" as it stands within a sentence: "fuel logs"; what begins with several capitals stays.</summary>
    public static string Uncapitalised(string label)
    {
        ArgumentNullException.ThrowIfNull(label);
        return label.Length > 1 && char.IsUpper(label[1]) ? label : char.ToLowerInvariant(label[0]) + label[1..];
    }

    /// <summary>Several words within a sentence: "add, change and delete".</summary>
    public static string Listed(IEnumerable<string> words)
    {
        var all = words.ToArray();
        return all.Length < 2 ? string.Concat(all) : $"{string.Join(", ", all[..^1])} and {all[^1]}";
    }

    /// <summary>Several names one after the other: of many the first few, and how many more there are.</summary>
    public static string Several(IReadOnlyCollection<string> names)
    {
        ArgumentNullException.ThrowIfNull(names);
        const int Most = 6;
        return names.Count <= Most
            ? string.Join(", ", names)
            : $"{string.Join(", ", names.Take(Most - 1))} and {names.Count - Most + 1} more";
    }

    /// <summary>One of many, by the rules of English plurals: "Fuel logs" gives "fuel log".</summary>
    public static string Singular(string label)
    {
        var word = Uncapitalised(label);
        return word switch
        {
            "people" => "person",
            _ when word.EndsWith("ies", StringComparison.Ordinal) && word.Length > 4 => word[..^3] + "y",
            _ when EndsWithAny(word, "sses", "shes", "ches", "xes", "zes") => word[..^2],
            _ when EndsWithAny(word, "ss", "us", "is") => word,
            _ when word.EndsWith('s') && word.Length > 2 => word[..^1],
            _ => word,
        };
    }

    /// <summary>The words of a name, in small letters.</summary>
    private static IEnumerable<string> Words(string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        var word = new StringBuilder();
        for (var i = 0; i < name.Length; i++)
        {
            var letter = name[i];
            var starts =
                char.IsUpper(letter)
                && i > 0
                && (char.IsLower(name[i - 1]) || (i + 1 < name.Length && char.IsUpper(name[i - 1]) && char.IsLower(name[i + 1])));
            if ((letter is '_' or '-' or '.' || char.IsWhiteSpace(letter) || starts) && word.Length > 0)
            {
                yield return Small(word);
                word.Clear();
            }

            if (letter is not ('_' or '-' or '.') && !char.IsWhiteSpace(letter))
            {
                word.Append(letter);
            }
        }

        if (word.Length > 0)
        {
            yield return Small(word);
        }
    }

    private static string Small(StringBuilder word) => word.ToString().ToLowerInvariant();

    private static bool EndsWithAny(string word, params ReadOnlySpan<string> endings)
    {
        foreach (var ending in endings)
        {
            if (word.EndsWith(ending, StringComparison.Ordinal))
            {
                return true;
            }
        }

        return false;
    }
}
