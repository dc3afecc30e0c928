namespace Rostrum.Core.Workflows.Steps;

/// <summary>The names by which later steps refer to what steps give.</summary>
public static class StepName
{
    /// <summary>Results are <c>steps.name</c>.</summary>
    public const string Results = "steps";

    /// <summary>Whether formulas can say a name without quotes.</summary>
    public static bool IsSound(string name) =>
        name is { Length: > 0 and <= 40 }
        && (char.IsAsciiLetter(name[0]) || name[0] == '_')
        && name.All(letter => char.IsAsciiLetterOrDigit(letter) || letter == '_');
}
