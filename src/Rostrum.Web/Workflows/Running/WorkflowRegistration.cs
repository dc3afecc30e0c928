using Rostrum.Sources;
using Rostrum.Sources.Workflows;
using Rostrum.Store;
using Rostrum.Web.Logbook;

namespace Rostrum.Web.Workflows.Running;

/// <summary>The services by which workflows run.</summary>
internal static class WorkflowRegistration
{
    public static void AddWorkflows(this IServiceCollection services)
    {
        services.AddSingleton<ChangeOrigin>();
        services.AddSingleton<SavedMarks>();
        services.AddHostedService(provider => provider.GetRequiredService<SavedMarks>());
        services.AddSingleton<SaveOutbox>();
        services.AddSingleton<ISaveGuards, SaveGuards>();
        services.AddSingleton(provider => new SaveHooks(
            provider.GetRequiredService<IRecordEvents>(),
            provider.GetRequiredService<ISaveGuards>()
        ));
        services.AddSingleton<RunIdentity>();
        services.AddSingleton<RunStarts>();
        services.AddSingleton<InstantRun>();
        services.AddSingleton<IWorkflowRows, RowsOfWorkflows>();
        services.AddSingleton<RunIntake>();
        services.AddSingleton<RecordAddresses>();
        services.AddSingleton<SignOffs>();
        services.AddSingleton<RunWorker>();
        services.AddHostedService(provider => provider.GetRequiredService<RunWorker>());
    }
}
