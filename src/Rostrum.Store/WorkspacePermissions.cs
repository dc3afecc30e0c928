namespace Rostrum.Store;

/// <summary>What a role may do with the workspace itself, beside its rights to records.</summary>
[Flags]
public enum WorkspacePermissions
{
    /// <summary>Nothing: to use apps asks for none of it.</summary>
    None = 0,

    /// <summary>Build apps, and publish them.</summary>
    BuildApps = 1,

    /// <summary>Connect sources, change their settings, and remove them.</summary>
    ManageSources = 2,

    /// <summary>Keep secrets, and replace them.</summary>
    ManageSecrets = 4,

    /// <summary>Say which role may do what with which records.</summary>
    ManageRights = 8,

    /// <summary>Invite people, and give them roles.</summary>
    ManagePeople = 16,

    /// <summary>Read who did what.</summary>
    ReadAudit = 32,

    /// <summary>All of it.</summary>
    All = BuildApps | ManageSources | ManageSecrets | ManageRights | ManagePeople | ReadAudit,
}
