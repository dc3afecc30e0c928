namespace Rostrum.Core.Access;

/// <summary>What can be done with records.</summary>
[Flags]
public enum Verbs
{
    /// <summary>Nothing.</summary>
    None = 0,

    /// <summary>Read them.</summary>
    View = 1,

    /// <summary>Add one.</summary>
    Create = 2,

    /// <summary>Change one.</summary>
    Update = 4,

    /// <summary>Remove one.</summary>
    Delete = 8,

    /// <summary>Take them away in a file.</summary>
    Download = 16,

    /// <summary>Read what colleagues note about them.</summary>
    ReadNotes = 32,

    /// <summary>Note something about them.</summary>
    WriteNotes = 64,

    /// <summary>Press the buttons that apps have for them.</summary>
    RunActions = 128,

    /// <summary>All of these.</summary>
    All = View | Create | Update | Delete | Download | ReadNotes | WriteNotes | RunActions,
}
