using FsCheck.Xunit;

namespace Rostrum.Core.Tests;

/// <summary>
/// A property that is tried with a tenth of its cases by <c>./rostrum test</c>, and with all of them by <c>./rostrum test long</c>.
/// </summary>
public sealed class LawAttribute : PropertyAttribute
{
    /// <param name="cases">How many cases the long run tries.</param>
    public LawAttribute(int cases) =>
        MaxTest = Environment.GetEnvironmentVariable("ROSTRUM_TEST_LONG") is null ? Math.Max(100, cases / 10) : cases;
}
