using Rostrum.Core.Datasets;

namespace Rostrum.Web.People.Auditing;

/// <summary>The moment since which the audit is wanted, as it is typed.</summary>
internal static class SinceInput
{
    /// <returns>The moments of a stretch of time, and what is wrong with either text.</returns>
    public static (DateTimeOffset? From, DateTimeOffset? To, string? Problem) Read(string? from, string? to, RecordFormat format)
    {
        var (first, wrong) = Read(from, format);
        var (last, alsoWrong) = Read(to, format);
        return (first, last, wrong ?? alsoWrong);
    }

    /// <returns>The moment, or what is wrong with the text; neither where it is blank.</returns>
    public static (DateTimeOffset? Since, string? Problem) Read(string? text, RecordFormat format) =>
        FieldText.FromForm(new FieldType.Instant(), text?.Trim() ?? "", format) switch
        {
            Parsed.Value { Is: DateTimeOffset moment } => (moment, null),
            Parsed.Problem problem => (null, problem.Message),
            _ => (null, null),
        };
}
