using System.ComponentModel.DataAnnotations;

namespace Rostrum.Web.Build.Sources;

/// <summary>The name or the address of a machine, and nothing else: no scheme, no port, no path.</summary>
[AttributeUsage(AttributeTargets.Property)]
internal sealed class HostNameAttribute : ValidationAttribute
{
    private const int Longest = 253;

    protected override ValidationResult? IsValid(object? value, ValidationContext validationContext) =>
        value is not string { Length: > 0 } host
        || (
            host.Trim() is { Length: <= Longest } name
            && Uri.CheckHostName(name) != UriHostNameType.Unknown
            && name.Any(letter => letter is not ('0' or '.'))
        )
            ? ValidationResult.Success
            : new ValidationResult("Write the name or the address of a machine alone, such as db.example.internal.");
}
