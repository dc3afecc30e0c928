namespace Rostrum.Core.Apps;

/// <summary>How high the rows of tables are.</summary>
public enum Density
{
    /// <summary>More rows at once.</summary>
    Compact,

    /// <summary>Easy to touch.</summary>
    Comfortable,
}

/// <summary>How wide or high something is.</summary>
public enum PanelSize
{
    /// <summary>Small.</summary>
    Small,

    /// <summary>Medium.</summary>
    Medium,

    /// <summary>Large.</summary>
    Large,
}

/// <summary>How corners are drawn.</summary>
public enum Corners
{
    /// <summary>With no radius.</summary>
    Square,

    /// <summary>With a large radius.</summary>
    Round,
}

/// <summary>Light or dark.</summary>
public enum Theme
{
    /// <summary>Dark text on a light ground.</summary>
    Light,

    /// <summary>Light text on a dark ground.</summary>
    Dark,
}
