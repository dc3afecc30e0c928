namespace Rostrum.Core.Formulas;

/// <summary>How databases compute a function, in the text of each: <c>{0}</c> is the first argument, and so on.</summary>
/// <remarks>
/// A text stands here only where the database gives exactly what the method gives, for every value; a database without one
/// leaves the function to memory. <c>{1:whole}</c> is an argument that must be a whole number written in the formula, and
/// <c>{1:unit}</c> the last digit's weight for so many digits; <c>{0:wide}</c> is a dividend with enough digits after the
/// point; <c>{1:word}</c> is a text of letters that is written in the formula, in small ones;
/// <c>{0:local}</c> is what an instant is by the clocks of the workspace's time zone.
/// </remarks>
[AttributeUsage(AttributeTargets.Method)]
public sealed class SqlAttribute : Attribute
{
    /// <summary>Each database by itself.</summary>
    public SqlAttribute() { }

    /// <param name="all">The text for all databases.</param>
    public SqlAttribute(string all) => Postgres = MySql = Sqlite = all;

    /// <summary>For PostgreSQL, where numbers are <c>numeric</c>.</summary>
    public string? Postgres { get; init; }

    /// <summary>For MySQL and MariaDB, where numbers are <c>decimal</c> or whole.</summary>
    public string? MySql { get; init; }

    /// <summary>For SQLite, where numbers are whole: a formula with others is computed in memory.</summary>
    public string? Sqlite { get; init; }

    /// <summary>Of a number: how long it can become.</summary>
    public SqlWidth Width { get; init; }

    /// <summary>The text holds for so many arguments only; 0 for any number of them.</summary>
    public int Arguments { get; init; }
}

/// <summary>How long a function's number can become.</summary>
public enum SqlWidth
{
    /// <summary>As long as the first argument.</summary>
    First,

    /// <summary>As the second argument.</summary>
    Second,

    /// <summary>The first argument's digits before the point, and perhaps one more.</summary>
    Whole,

    /// <summary>The first argument's digits before the point, and as many after it as the second says.</summary>
    Digits,

    /// <summary>A multiple of the second argument, near the first.</summary>
    Step,

    /// <summary>The whole part of the first divided by the second.</summary>
    Quotient,

    /// <summary>A whole number below ten million: a length, a year, a count of days.</summary>
    Count,

    /// <summary>A whole number of seconds between any two moments, or of longer units.</summary>
    Moments,
}
