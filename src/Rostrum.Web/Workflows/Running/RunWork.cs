using System.Text.Json;
using Rostrum.Core.Workflows;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>A run that a worker goes on with, and what it needs for it.</summary>
internal sealed record RunWork(
    RostrumStore Store,
    WorkflowRun Run,
    Workflow Workflow,
    Workspace Workspace,
    RunReading Reading,
    JsonElement Input
);
