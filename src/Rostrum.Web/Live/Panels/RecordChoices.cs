using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels;

/// <summary>Records to choose from while somebody types: each with what stands for it and its title.</summary>
internal static class RecordChoices
{
    private const int Most = 30;

    public static async Task<IActionResult> ReadAsync(
        AppPageModel page,
        Dataset target,
        FieldName value,
        Filter filter,
        CancellationToken cancellation)
    {
        var request = new ReadRequest(target.Id)
        {
            Fields = [value],
            Filter = filter,
            Search = page.Value("q"),
            Sort = target.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)] : [],
            Window = new PageWindow.FromStart(0, Most),
            Names = page.Run.Names,
        };
        return await page.Run.Gate.ReadAsync(page.App.Datasets, request, page.Run.Grants, cancellation) is not ReadResult.Rows rows
            ? page.StatusCode(StatusCodes.Status503ServiceUnavailable)
            : new JsonResult(rows.Records.Where(record => record[value] is not null).Select(record => new
            {
                value = FieldText.ToInput(target[value].Type, record[value], page.Run.Format.Zone),
                text = record.Title,
            }));
    }
}
