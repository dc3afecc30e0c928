using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live.Panels.Input;

/// <summary>An input: what stands in it, what can be chosen, whether it can be set.</summary>
/// <param name="Values">What stands in it, by member.</param>
/// <param name="ChosenTitle">What names the record that is chosen.</param>
internal sealed record InputView(ImmutableDictionary<string, string> Values, string? ChosenTitle, bool Enabled)
{
    public string Of(string member) => Values.GetValueOrDefault(member, "");
}

internal sealed class InputPanelReader() : PanelReader<InputPanel>("Input")
{
    protected override async Task<object?> ReadAsync(PageRun run, InputPanel panel, CancellationToken cancellation)
    {
        var values = ImmutableDictionary<string, string>.Empty;
        foreach (var member in run.Scope.MembersOf(panel.Name))
        {
            var text = (run.State.Of(panel.Name) as InputState)?.Of(member.Name);
            if (text is null && member.Name == "value" && panel.Initial is { } initial)
            {
                text = Computed.IsFormula(initial) ? Initial(run, panel, member, initial[1..]) : initial;
            }

            // A day that an address or a chart gave is shown as a day typed here; what cannot be read stays as it is.
            if (member.Type is FormulaType.Date && run.Value(member.Type, text) is { } day)
            {
                text = InForm(run, member, day);
            }

            values = values.SetItem(member.Name, text ?? "");
        }

        string? title = null;
        if (
            panel is { Type: EntryType.Choice, Dataset: { } of }
            && values.GetValueOrDefault("value") is { Length: > 0 } chosen
            && run.App.Datasets.Find(of) is { } dataset
            && RecordKey.Parse(dataset, chosen) is { } key
        )
        {
            title = (await run.OneAsync(ReadRequest.Of(dataset, key), cancellation))?.Title;
        }

        return new InputView(values, title, run.Truth(panel, panel.Enabled));
    }

    // What it holds at first depends on something else on the page.
    private static string? Initial(PageRun run, InputPanel panel, PanelMember member, string formula)
    {
        var value = run.Evaluate(panel, new FormulaPlace(formula) { OrRecord = true });
        run.Values[new PageValue(panel.Name, member.Name)] = value;
        return value switch
        {
            null => null,
            FormulaRecord { Identity: RecordKey key } => string.Join("~", key.Values),
            bool yes => yes ? "true" : "",
            _ => InForm(run, member, value),
        };
    }

    private static string InForm(PageRun run, PanelMember member, object value) =>
        FieldText.InForm(DatasetShapes.FieldTypeOf(member.Type), value, run.Format);
}
