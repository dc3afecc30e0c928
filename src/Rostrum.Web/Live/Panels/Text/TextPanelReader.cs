using System.Runtime.CompilerServices;
using Microsoft.AspNetCore.Html;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels.Text;

internal sealed class TextPanelReader() : PanelReader<TextPanel>("Text")
{
    // Most texts say the same to everybody, and to one person from page to page.
    private static readonly ConditionalWeakTable<TextPanel, Said> Last = [];

    private sealed record Said(string Text, IHtmlContent Html);

    protected override Task<object?> ReadAsync(PageRun run, TextPanel panel, CancellationToken cancellation)
    {
        var text = string.Concat(
            Template
                .Parse(panel.Text)
                .Parts.Select(part =>
                    part switch
                    {
                        TemplatePart.Literal literal => literal.Text,
                        TemplatePart.Formula formula => run.Scope.Check(panel, new FormulaPlace(formula.Parsed.Text)) is { Tree: { } tree }
                            ? Markdown.Escaped(run.Shown(tree))
                            : "",
                        _ => "",
                    }
                )
        );
        if (!Last.TryGetValue(panel, out var said) || said.Text != text)
        {
            Last.AddOrUpdate(panel, said = new Said(text, Markdown.Of(text)));
        }

        return Task.FromResult<object?>(said.Html);
    }
}
