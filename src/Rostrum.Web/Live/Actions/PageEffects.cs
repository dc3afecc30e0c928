using System.Globalization;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Actions;

/// <summary>Effects that change what the person has before them, and reach nothing else.</summary>
internal abstract class PageEffect<T> : EffectCarrier<T>
    where T : StepEffect
{
    protected sealed override Task<Carried> CarryAsync(
        T effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    ) => Task.FromResult(new Carried(Applied(effect, outcome, context.Run)));

    protected abstract ActionOutcome Applied(T effect, ActionOutcome outcome, PageRun run);
}

internal sealed class GoingToPage : PageEffect<StepEffect.GoToPage>
{
    protected override ActionOutcome Applied(StepEffect.GoToPage effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            GoTo = Address(effect),
        };

    /// <summary>A page with its parameters, as part of an address.</summary>
    public static string Address(StepEffect.GoToPage effect) =>
        QueryHelpers.AddQueryString(
            effect.Page,
            effect
                .Parameters.Select(parameter => KeyValuePair.Create(parameter.Key, (string?)InAddress.Text(parameter.Value)))
                .Where(parameter => parameter.Value is { Length: > 0 })
        );
}

internal sealed class OpeningPanel : PageEffect<StepEffect.OpenPanel>
{
    protected override ActionOutcome Applied(StepEffect.OpenPanel effect, ActionOutcome outcome, PageRun run) =>
        outcome.State.Open.Contains(effect.Panel)
            ? outcome
            : outcome with
            {
                State = outcome.State with { Open = outcome.State.Open.Add(effect.Panel) },
            };
}

internal sealed class ClosingAll : PageEffect<StepEffect.CloseAll>
{
    protected override ActionOutcome Applied(StepEffect.CloseAll effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            State = outcome.State.AllClosed(),
        };
}

internal sealed class SettingInput : PageEffect<StepEffect.SetInput>
{
    protected override ActionOutcome Applied(StepEffect.SetInput effect, ActionOutcome outcome, PageRun run) =>
        outcome.State.Page.Find(effect.Input) is InputPanel input
            ? outcome with
            {
                State = Set(outcome.State, input, InAddress.Text(effect.Value)),
            }
            : outcome;

    // A span of dates can only be cleared.
    private static PageState Set(PageState state, InputPanel input, string value) =>
        input.Type is not EntryType.Dates ? state.With(input.Name, input.With(state.Of(input.Name), "value", value))
        : value.Length == 0 ? state.With(input.Name, null)
        : state;
}

internal sealed class Saying : PageEffect<StepEffect.Say>
{
    protected override ActionOutcome Applied(StepEffect.Say effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            Said = effect.Text,
        };
}

internal sealed class Refreshing : PageEffect<StepEffect.Refresh>
{
    protected override ActionOutcome Applied(StepEffect.Refresh effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            Everything = true,
        };
}

internal sealed class Copying : PageEffect<StepEffect.Copy>
{
    protected override ActionOutcome Applied(StepEffect.Copy effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            InBrowser = outcome.InBrowser.Add(new BrowserEffect("copy", effect.Text)),
        };
}

internal sealed class OpeningAddress : PageEffect<StepEffect.OpenAddress>
{
    protected override ActionOutcome Applied(StepEffect.OpenAddress effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            InBrowser = outcome.InBrowser.Add(new BrowserEffect("open", effect.Address, effect.Beside)),
        };
}

internal sealed class Downloading : PageEffect<StepEffect.Download>
{
    protected override ActionOutcome Applied(StepEffect.Download effect, ActionOutcome outcome, PageRun run) =>
        outcome with
        {
            InBrowser = outcome.InBrowser.Add(
                new BrowserEffect("open", outcome.State.At(run.Path, ("handler", "Download"), ("panel", effect.Table)))
            ),
        };
}

/// <summary>Values as an address carries them: a record by its key.</summary>
internal static class InAddress
{
    public static string Text(object? value) =>
        value switch
        {
            null => "",
            FormulaRecord { Identity: RecordKey key } => string.Join("~", key.Values.Select(Canonical)),
            _ => Canonical(value),
        };

    private static string Canonical(object value) =>
        value switch
        {
            bool yes => yes ? "true" : "false",
            DateOnly date => date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            DateTimeOffset at => at.ToString("O", CultureInfo.InvariantCulture),
            IFormattable other => other.ToString(null, CultureInfo.InvariantCulture),
            _ => value.ToString() ?? "",
        };
}
