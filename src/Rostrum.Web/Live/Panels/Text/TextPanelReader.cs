using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels.Text;

internal sealed class TextPanelReader() : PanelReader<TextPanel>("Text")
{
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
        return Task.FromResult<object?>(Markdown.Of(text));
    }
}
