using Rostrum.Core.Access;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Files;
using Rostrum.Web.Build.Apps.Files;

namespace Rostrum.Web.CommandLine;

/// <summary><c>./rostrum app export|import|check|diff</c>: apps as text files, for git and for continuous integration.</summary>
internal static class AppCommand
{
    private const string Usage = """
        ./rostrum app export ADDRESS FOLDER   writes an app's draft as text files
        ./rostrum app import FOLDER           makes the app's draft, and the datasets that it uses, what the files say
        ./rostrum app check FOLDER            says what is wrong, as file:line: message
        ./rostrum app diff FOLDER [FOLDER]    says what differs from the app that is here, or from another folder
        The exit code is 0 where nothing is wrong or differs, 1 where something is, 2 where the command is not understood.
        """;

    /// <summary>Whether a command needs the workspace.</summary>
    public static bool NeedsWorkspace(string[] args) => args is ["app", "export" or "import", ..] or ["app", "diff", _];

    public static async Task<int> RunAsync(string[] args, IServiceProvider? services)
    {
        switch (args)
        {
            case ["app", "check", var path]:
                return Check(path);
            case ["app", "diff", var before, var after]:
                return Compare(Read(before), Read(after));
            case ["app", "diff", var path]:
                return await InWorkspaceAsync(services, transfer => CompareAsync(transfer, path));
            case ["app", "export", var address, var path]:
                return await InWorkspaceAsync(services, transfer => ExportAsync(transfer, address, path));
            case ["app", "import", var path]:
                return await InWorkspaceAsync(services, transfer => ImportAsync(transfer, path));
            default:
                await Console.Error.WriteLineAsync(Usage);
                return 2;
        }
    }

    private static async Task<int> InWorkspaceAsync(IServiceProvider? services, Func<AppTransfer, Task<int>> run)
    {
        await using var scope = services!.CreateAsyncScope();
        return await run(scope.ServiceProvider.GetRequiredService<AppTransfer>());
    }

    // Attributes of people belong to a workspace: a folder by itself does not know them.
    private static int Check(string path) => Read(path) is { } read ? Say(path, AppFiles.Check(read, anybody: null)) : 1;

    private static AppReading.Done? Read(string path)
    {
        var reading = AppFiles.Read(FolderOnDisk.Read(path), KnownDatasets.None);
        if (reading is AppReading.Failed failed)
        {
            Say(path, failed.Problems);
        }

        return reading as AppReading.Done;
    }

    private static int Say(string path, IReadOnlyCollection<FileProblem> problems)
    {
        foreach (var problem in problems)
        {
            Console.WriteLine(Path.Combine(path, problem.ToString()));
        }

        return problems.Any(problem => !problem.Warns) ? 1 : 0;
    }

    private static int Compare(AppReading.Done? before, AppReading.Done? after) =>
        before is null || after is null ? 1 : Say(AppComparison.Between(before.App.Frozen, after.App.Frozen));

    private static int Say(IReadOnlyCollection<AppDifference> differences)
    {
        foreach (var difference in differences)
        {
            Console.WriteLine(difference.Says);
        }

        return differences.Count > 0 ? 1 : 0;
    }

    private static async Task<int> CompareAsync(AppTransfer transfer, string path)
    {
        var plan = await transfer.PlanAsync(FolderOnDisk.Read(path), CancellationToken.None);
        if (!plan.IsPossible)
        {
            return Say(path, plan.Problems);
        }

        if (plan.Existing is not null)
        {
            return Say(plan.Differences);
        }

        Console.WriteLine($"There is no app “{plan.Read!.App.Address}” here.");
        return 1;
    }

    private static async Task<int> ExportAsync(AppTransfer transfer, string address, string path)
    {
        if (await transfer.ExportAsync(address, CancellationToken.None) is not { } folder)
        {
            await Console.Error.WriteLineAsync($"There is no app “{address}”.");
            return 1;
        }

        FolderOnDisk.Write(path, folder);
        Console.WriteLine($"{folder.Files.Count} files written to {path}.");
        return 0;
    }

    private static async Task<int> ImportAsync(AppTransfer transfer, string path)
    {
        var plan = await transfer.PlanAsync(FolderOnDisk.Read(path), CancellationToken.None);
        Say(path, plan.Problems);
        if (!plan.IsPossible)
        {
            return 1;
        }

        Say(plan.Differences);
        var address = await transfer.ImportAsync(plan, Guid.Empty, "The command line", CancellationToken.None);
        Console.WriteLine($"The draft of “{address}” is what the files say. It is published in Build.");
        return 0;
    }
}
