namespace Rostrum.Core.Apps.Settings;

/// <summary>What a name in a setting can stand for.</summary>
public enum NamedThing
{
    /// <summary>A page, by its address.</summary>
    Page,

    /// <summary>A sheet or a dialog.</summary>
    Opening,

    /// <summary>An input.</summary>
    Input,

    /// <summary>A table.</summary>
    Table,

    /// <summary>A secret.</summary>
    Secret,

    /// <summary>A role.</summary>
    Role,

    /// <summary>An API among the sources.</summary>
    Api,

    /// <summary>A workflow that runs on demand.</summary>
    Workflow,

    /// <summary>A workflow that saves what was typed into a table of the panel's dataset.</summary>
    SavingWorkflow,

    /// <summary>A step within the step.</summary>
    InnerStep,

    /// <summary>A field of the dataset that a workflow's trigger has.</summary>
    TriggerField,
}
