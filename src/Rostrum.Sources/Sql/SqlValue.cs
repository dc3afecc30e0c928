using System.Runtime.InteropServices;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>How long a number can become.</summary>
/// <param name="Digits">Before the point: the logarithm to base ten of the greatest size.</param>
/// <param name="Scale">The most digits after the point.</param>
[StructLayout(LayoutKind.Auto)]
internal readonly record struct NumberWidth(double Digits, int Scale)
{
    /// <summary>What a formula's numbers can carry: the logarithm of 2^96.</summary>
    private const double Most = 28.89;

    /// <summary>A count of things that a database can hold.</summary>
    public static NumberWidth Count { get; } = new(7, 0);

    /// <summary>Whether memory keeps all digits.</summary>
    public bool FitsMemory => Digits + Scale <= Most && Scale <= 28;

    /// <summary>Whether memory has an answer at all, if not to the last digit.</summary>
    public bool IsInRange => Digits <= Most;

    /// <summary>Whether it is a whole number of 64 bits.</summary>
    public bool IsWhole64 => Scale == 0 && Digits < 18.9;

    public static NumberWidth Of(decimal number) =>
        new(number == 0 ? 0 : Math.Log10((double)Math.Abs(number)) + 0.01, (decimal.GetBits(number)[3] >> 16) & 0xff);

    public static NumberWidth Widest(NumberWidth one, NumberWidth other) =>
        new(Math.Max(one.Digits, other.Digits), Math.Max(one.Scale, other.Scale));

    public static NumberWidth Sum(NumberWidth one, NumberWidth other) =>
        Widest(one, other) with
        {
            Digits = Math.Max(one.Digits, other.Digits) + 0.31,
        };

    public static NumberWidth Product(NumberWidth one, NumberWidth other) => new(one.Digits + other.Digits, one.Scale + other.Scale);
}

/// <summary>A value as an expression of SQL.</summary>
/// <param name="Text">The expression; blank is NULL.</param>
/// <param name="Type">What it gives.</param>
internal sealed record SqlValue(string Text, FormulaType Type)
{
    /// <summary>Of a number: how long it can become.</summary>
    public NumberWidth Width { get; init; }

    /// <summary>Of a number: how exact it is.</summary>
    public Exactness Exactness { get; init; }

    /// <summary>Of a number: the expression is of a type for whole numbers of 64 bits.</summary>
    public bool IsWhole { get; init; }

    /// <summary>Of a text: the most characters that it can have, where that is known.</summary>
    public long? Longest { get; init; }

    /// <summary>The column, where the value is one as it stands, so that an index may serve.</summary>
    public SqlColumn? Column { get; init; }

    /// <summary>Of a total: the expression that is NULL where there are no rows, in the place of nought.</summary>
    public string? OrNull { get; init; }

    /// <summary>The value itself, where it stands in the formula or is the same for the whole request.</summary>
    public object? Constant { get; init; }
}

/// <summary>A column of a table in a statement.</summary>
/// <param name="Sql">The column, with its table's alias.</param>
/// <param name="Field">The field behind it.</param>
internal sealed record SqlColumn(string Sql, Field Field);

/// <summary>Takes the values of a statement, which go beside its text.</summary>
internal interface ISqlParameters
{
    /// <summary>The placeholder for a value of a formula; the same value has the same one.</summary>
    string Add(FormulaType type, object value);

    /// <summary>The placeholder for a value that a column is compared with, in the column's own type.</summary>
    string AddFor(Field field, object value);
}
