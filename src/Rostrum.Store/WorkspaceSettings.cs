namespace Rostrum.Store;

/// <summary>What owners have decided for the whole workspace.</summary>
public sealed class WorkspaceSettings
{
    /// <summary>There is one row.</summary>
    public const int Only = 1;

    public int Id { get; init; } = Only;

    /// <summary>For how many months the logbook is kept; for ever where null.</summary>
    public int? LogKeptMonths { get; set; }
}
