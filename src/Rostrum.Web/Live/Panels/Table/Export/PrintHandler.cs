using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People.Auditing;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>What a table shows, on paper.</summary>
/// <param name="Page">The page of the app.</param>
/// <param name="Heading">The table's heading.</param>
/// <param name="Table">The table.</param>
/// <param name="Records">The records.</param>
/// <param name="IsCut">There are more than are printed.</param>
internal sealed record PrintView(AppPageModel Page, string Heading, TableView Table, ImmutableArray<Record> Records, bool IsCut)
{
    /// <summary>So many records are printed at most: some hundred pages.</summary>
    public const int Most = 5_000;

    /// <summary>The papers to choose from, by the name that the style sheet has for them.</summary>
    public static ImmutableArray<(string Name, string Label)> Papers { get; } =
    [
        ("a4", "A4"),
        ("a4-landscape", "A4 landscape"),
        ("a3-landscape", "A3 landscape"),
        ("letter", "Letter"),
        ("letter-landscape", "Letter landscape"),
    ];

    /// <summary>The app, how many records there are, what narrowed the list, and the moment.</summary>
    public string Says
    {
        get
        {
            var format = Table.Run.Format;
            var noun = Records.Length == 1 ? Table.Dataset.RecordLabel : Table.Dataset.LabelInSentence;
            string[] parts =
            [
                Page.App.Definition.Name,
                $"{Records.Length.ToString("#,##0", format.Culture)} {noun}",
                .. Table.Sentence.Select(part => $"{part.Label} {part.Says}"),
                .. Table.State.Search.Length > 0 ? [$"“{Table.State.Search}”"] : Array.Empty<string>(),
                format.Display(new FieldType.Instant(), Table.Run.Context.Now),
            ];
            return string.Join(" · ", parts);
        }
    }

    /// <summary>Many columns need the wider side.</summary>
    public string Paper => Table.Columns.Length > 5 ? "a4-landscape" : "a4";
}

/// <summary>Shows what a table shows, all its pages, as it is printed.</summary>
[Handles("GET", "Print")]
internal sealed class PrintHandler(Audit audit) : ExportHandler(audit)
{
    protected override async Task<(IActionResult Answer, string How)> AnswerAsync(
        AppPageModel page,
        PanelView shown,
        TableView view,
        CancellationToken cancellation
    )
    {
        var records = ImmutableArray.CreateBuilder<Record>();
        await foreach (var some in TablePages.ReadAsync(view, cancellation))
        {
            if (some is null)
            {
                return (page.StatusCode(StatusCodes.Status503ServiceUnavailable), "Tried to print");
            }

            records.AddRange(some);
            if (records.Count > PrintView.Most)
            {
                break;
            }
        }

        var heading = shown.Heading ?? view.Dataset.Label;
        var cut = records.Count > PrintView.Most;
        var print = new PrintView(page, heading, view, [.. records.Take(PrintView.Most)], cut);
        page.Instead = new ShownInstead("/Live/Panels/Table/Export/_Print.cshtml", print, IsBare: true);
        return (page.Page(), "Printed");
    }
}
