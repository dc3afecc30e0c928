using System.Text;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Imports;
using Rostrum.Store;
using Rostrum.Web.Imports;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Import;

/// <summary>Where a file for a table is chosen, or rows are pasted.</summary>
/// <param name="Table">The table.</param>
/// <param name="Problem">What is wrong with what was sent.</param>
/// <param name="Pasted">What was pasted.</param>
internal sealed record ImportRowsView(TableView Table, string? Problem, string Pasted)
{
    public string Address => Table.Run.State.At(Table.Run.Path, ("handler", "ImportRows"), ("panel", Table.Panel.Name));

    public string Back => Table.Run.State.At(Table.Run.Path);
}

/// <summary>Answers where rows of a file may go into a table.</summary>
internal abstract class ImportRowsHandler : TableHandler
{
    protected sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation) =>
        (await new PageReading(page.Run).ReadAsync(table, cancellation)).Content is TableView { MayImport: true } view
            ? await AnswerAsync(page, view, cancellation)
            : page.NotFound();

    protected abstract Task<IActionResult> AnswerAsync(AppPageModel page, TableView view, CancellationToken cancellation);

    protected static Task<IActionResult> AskAsync(AppPageModel page, ImportRowsView view)
    {
        page.Instead = ("/Live/Panels/Table/Import/_ImportRows.cshtml", view);
        return Task.FromResult<IActionResult>(page.Page());
    }
}

/// <summary>Asks for the file.</summary>
[Handles("GET", "ImportRows")]
internal sealed class ImportRowsFormHandler : ImportRowsHandler
{
    protected override Task<IActionResult> AnswerAsync(AppPageModel page, TableView view, CancellationToken cancellation) =>
        AskAsync(page, new ImportRowsView(view, null, ""));
}

/// <summary>Takes the file: what becomes of it is decided on a page of its own.</summary>
[Handles("POST", "ImportRows")]
internal sealed class ImportRowsFileHandler(FileImports imports, CurrentPerson person, TimeProvider time) : ImportRowsHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TableView view, CancellationToken cancellation)
    {
        var pasted = page.Value("pasted");
        var file = page.Request.Form.Files.GetFile("file") is { Length: > 0 } chosen ? chosen : null;
        Task<IActionResult> AgainAsync(string problem) => AskAsync(page, new ImportRowsView(view, problem, pasted));
        if (file is null && string.IsNullOrWhiteSpace(pasted))
        {
            return await AgainAsync("Choose a file, or paste rows.");
        }

        if (file?.Length > FileImports.LargestFile)
        {
            return await AgainAsync("The file is larger than 100 MB: part it.");
        }

        var name = file is null ? "Pasted rows" : Path.GetFileName(file.FileName);
        var import = new Store.Import
        {
            PersonId = person.Id!.Value,
            DatasetId = view.Dataset.Id.Value,
            App = page.App.Address,
            IsLive = page.App.Version is not null,
            From = view.Run.State.At(view.Run.Path),
            Via = $"{page.App.Definition.Name}, {page.Current.Name}",
            Name = name.Length > 200 ? name[..200] : name,
            Kind = file is null ? ImportKind.Text : await SentFile.KindAsync(file, cancellation),
            Plan = new ImportPlan(),
            At = time.GetUtcNow(),
        };
        try
        {
            await using var content = file?.OpenReadStream() ?? new MemoryStream(Encoding.UTF8.GetBytes(pasted));
            await imports.AddAsync(import, content, view.Dataset, view.Grant, cancellation);
        }
        catch (ImportFailedException exception)
        {
            return await AgainAsync(exception.Message);
        }

        return new RedirectResult($"/import/{import.Id}");
    }
}
