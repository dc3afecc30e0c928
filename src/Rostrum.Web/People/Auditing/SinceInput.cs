using Rostrum.Core.Datasets;

namespace Rostrum.Web.People.Auditing;

/// <summary>The moment since which the audit is wanted, as it is typed.</summary>
internal static class SinceInput
{
    /// <returns>The moment, or what is wrong with the text; neither where it is blank.</returns>
    public static (DateTimeOffset? Since, string? Problem) Read(string? text, RecordFormat format) =>
        FieldText.FromForm(new FieldType.Instant(), text?.Trim() ?? "", format) switch
        {
            Parsed.Value { Is: DateTimeOffset moment } => (moment, null),
            Parsed.Problem problem => (null, problem.Message),
            _ => (null, null),
        };
}
