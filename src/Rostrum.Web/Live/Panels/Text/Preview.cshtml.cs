using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Rostrum.Web.Live.Panels.Text;

/// <summary>What a text in Markdown looks like, for whoever is writing it.</summary>
internal sealed class PreviewModel : PageModel
{
    private const int Longest = 200_000;

    public IActionResult OnPost(string? text) =>
        text is { Length: > Longest }
            ? StatusCode(StatusCodes.Status413PayloadTooLarge)
            : Partial("/Live/Panels/Text/_Preview.cshtml", text ?? "");
}
