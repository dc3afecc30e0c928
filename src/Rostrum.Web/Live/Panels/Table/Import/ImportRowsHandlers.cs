using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Imports;
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
        page.Instead = new ShownInstead("/Live/Panels/Table/Import/_ImportRows.cshtml", view);
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
        var (sent, problem) = await SentRows.OfAsync(
            page.Request.Form.Files.GetFile("file"),
            pasted,
            "Choose a file, or paste rows.",
            cancellation
        );
        if (sent is null)
        {
            return await AskAsync(page, new ImportRowsView(view, problem, pasted));
        }

        var import = new Store.Import
        {
            PersonId = person.Id!.Value,
            DatasetId = view.Dataset.Id.Value,
            App = page.App.Address,
            IsLive = page.App.Version is not null,
            From = view.Run.State.At(view.Run.Path),
            Via = $"{page.App.Definition.Name}, {page.Current.Name}",
            Name = sent.Name,
            Kind = sent.Kind,
            Plan = new ImportPlan(),
            At = time.GetUtcNow(),
        };
        try
        {
            await using var content = sent.Open();
            await imports.AddAsync(import, content, view.Dataset, view.Grant, cancellation);
        }
        catch (ImportFailedException exception)
        {
            return await AskAsync(page, new ImportRowsView(view, exception.Message, pasted));
        }

        return new RedirectResult($"/import/{import.Id}");
    }
}
