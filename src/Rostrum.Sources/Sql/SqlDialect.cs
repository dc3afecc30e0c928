using System.Globalization;
using System.Text;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>How one database says things. What it cannot say exactly, it gives null for, and that is computed in memory.</summary>
internal abstract class SqlDialect
{
    /// <summary>What people call the database.</summary>
    public abstract string Name { get; }

    public virtual string Quote(string identifier) => SqlIdentifier.Quote(identifier);

    public virtual string Quote(TableName table) =>
        table.Schema.Length > 0 ? $"{Quote(table.Schema)}.{Quote(table.Name)}" : Quote(table.Name);

    /// <summary>The text in which the database computes a function.</summary>
    public abstract string? TemplateOf(SqlAttribute sql);

    /// <summary>A blank of a type.</summary>
    public virtual string Null(FormulaType type) => "NULL";

    /// <summary>A column as a value: what the database can hold and a formula cannot is blank.</summary>
    public abstract SqlValue? Value(SqlColumn column, FormulaType type);

    /// <summary>A constant as a value.</summary>
    public abstract SqlValue? Constant(FormulaType type, object value, ISqlParameters parameters);

    /// <summary>A value as a query of a builder's has it, who says how it is computed with; null where there is no such value.</summary>
    public virtual string? Sent(FormulaType type, object value, ISqlParameters parameters) => Constant(type, value, parameters)?.Text;

    /// <summary>A number as it stands in a template.</summary>
    public abstract string Number(SqlValue number);

    /// <summary>A small whole number that a function of the database gives.</summary>
    public virtual SqlValue Count(string text) => new(text, new FormulaType.Number()) { IsWhole = true };

    /// <summary>Whether numbers of a width are computed with.</summary>
    public virtual bool Carries(NumberWidth width) => width.IsInRange;

    /// <summary>A number with its sign turned.</summary>
    public virtual string? Negate(SqlValue number) => $"(-({(number.Width.IsWhole64 ? number.Text : Number(number))}))";

    /// <summary>A number with enough digits after the point to be divided.</summary>
    public abstract string? Wide(SqlValue number);

    public virtual string? Settle(SqlValue number) => null;

    /// <summary>Whether two values are equal, a blank with a blank: never NULL.</summary>
    public abstract string Same(SqlValue one, SqlValue other);

    /// <summary>Whether a column is equal to a value that is not blank, said plainly; NULL for a blank.</summary>
    public abstract string PlainlyEqual(SqlColumn column, SqlValue constant, ISqlParameters parameters);

    /// <summary>Two values in an order; NULL where one is blank.</summary>
    public virtual string Ordered(SqlValue left, Operator sign, SqlValue right) =>
        $"({Comparable(left)} {sign.Sign()} {Comparable(right)})";

    /// <summary>A column and a value in an order, said plainly so that an index may serve; null where that would not be exact.</summary>
    public virtual string? PlainlyOrdered(SqlColumn column, Operator sign, SqlValue constant, ISqlParameters parameters) => null;

    /// <summary>What a value is ordered by.</summary>
    public virtual string Comparable(SqlValue value) => value.Text;

    public abstract string? AsText(SqlValue value);

    /// <summary>A truth value as the text that &amp; joins.</summary>
    protected static string TruthAsText(string truth) => $"CASE WHEN {truth} THEN 'TRUE' WHEN NOT {truth} THEN 'FALSE' END";

    /// <summary>A column of whole numbers.</summary>
    protected static SqlValue Whole(SqlColumn column, string text, FieldType.Integer type) =>
        new(text, new FormulaType.Number())
        {
            Column = column,
            IsWhole = true,
            Width = NumberWidth.Of(Math.Max(Math.Abs((decimal)type.Minimum), type.Maximum)),
        };

    /// <summary>How many characters a text has.</summary>
    public virtual string Length(string text) => $"length({text})";

    public abstract string Join(IEnumerable<string> texts);

    public abstract string? AddDays(SqlValue date, SqlValue days);

    public virtual string? AddTo(SqlValue instant, SqlValue days) => null;

    public virtual string? Between(SqlValue left, SqlValue right) => null;

    /// <summary>The least or the greatest of some values; blanks are passed over.</summary>
    public virtual string? Extreme(bool greatest, IReadOnlyList<SqlValue> values) => null;

    public abstract string? JoinRows(string text, string between, string orderBy);

    /// <summary>A sum, a difference or a product whose operands and value memory carries to the last digit.</summary>
    public abstract SqlValue? Arithmetic(string sign, SqlValue left, SqlValue right, NumberWidth width, Exactness exactness);

    /// <summary>The sum of an expression over rows.</summary>
    public virtual SqlValue Sum(SqlValue number, string distinct) =>
        new($"sum({distinct}{Number(number)})", number.Type) { Width = number.Width with { Digits = number.Width.Digits + 6 } };

    /// <summary>What an instant is by a zone's clocks.</summary>
    public virtual string? Local(SqlValue instant, string zone) => null;

    /// <summary>Puts values into a template.</summary>
    /// <param name="template">The function's text.</param>
    /// <param name="arguments">The arguments, missing ones filled in.</param>
    /// <param name="special">What stands for a word in braces that is no argument; null where there is nothing.</param>
    public string? Fill(string template, IReadOnlyList<SqlValue> arguments, Func<string, string?> special)
    {
        var text = new StringBuilder();
        var at = 0;
        while (template.IndexOf('{', at) is >= 0 and var open)
        {
            var close = template.IndexOf('}', open);
            text.Append(template, at, open - at);
            var parts = template[(open + 1)..close].Split(':');
            var piece = int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var index)
                ? parts is [_, "local"]
                    ? special("zone") is { } zone
                        ? Local(arguments[index], zone)
                        : null
                    : Argument(arguments[index], parts is [_, var form] ? form : "")
                : special(parts[0]);
            if (piece is null)
            {
                return null;
            }

            text.Append(piece);
            at = close + 1;
        }

        return text.Append(template, at, template.Length - at).ToString();
    }

    private string? Argument(SqlValue argument, string form) =>
        form switch
        {
            "" => argument.Type is FormulaType.Number ? Number(argument) : argument.Text,
            "word" => argument.Constant is string word && word.All(char.IsAsciiLetter) ? $"'{word.ToLowerInvariant()}'" : null,
            "wide" => Wide(argument),
            "whole" => argument.Constant is decimal and >= -20 and <= 1000 and var whole
                ? decimal.Truncate(whole).ToString(CultureInfo.InvariantCulture)
                : null,
            "unit" => argument.Constant is decimal and >= -20 and <= 20 and var digits ? Unit((int)digits) : null,
            _ => throw new ArgumentOutOfRangeException(nameof(form), form, "unknown form"),
        };

    private static string Unit(int digits) => digits <= 0 ? "1" + new string('0', -digits) : "0." + new string('0', digits - 1) + "1";
}
