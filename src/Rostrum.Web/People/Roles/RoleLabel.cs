using Rostrum.Store;

namespace Rostrum.Web.People.Roles;

/// <summary>What people read for a role.</summary>
internal static class RoleLabel
{
    /// <summary>What is wrong with one that was typed; null where nothing is.</summary>
    /// <param name="label">The label.</param>
    /// <param name="others">The roles that it must differ from.</param>
    public static string? Problem(string label, IEnumerable<RoleEntry> others) =>
        label.Length == 0 ? "Write what people call it."
        : others.Any(role => role.Label.Equals(label, StringComparison.OrdinalIgnoreCase)) ? $"There is a role “{label}” already."
        : null;
}
