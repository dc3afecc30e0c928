using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;

namespace Rostrum.Web.Build.Composer.Settings;

internal sealed class LineInput : SettingInput<SettingKind.Line>
{
    public override bool RedrawsDock => false;

    public override string Partial(SettingView view) =>
        view.Setting.Kind is SettingKind.Line { Computed: null } ? base.Partial(view) : "/Build/Composer/Settings/_Computed.cshtml";
}

internal sealed class AnyValueInput : SettingInput<SettingKind.AnyValue>
{
    public override bool RedrawsDock => false;

    public override string Partial(SettingView view) => "/Build/Composer/Settings/_Computed.cshtml";
}

internal sealed class ComputedToggleInput : SettingInput<SettingKind.ComputedToggle>
{
    public override bool RedrawsDock => false;

    public override string Partial(SettingView view) => "/Build/Composer/Settings/_Computed.cshtml";
}

internal sealed class ProseInput : SettingInput<SettingKind.Prose>
{
    public override bool RedrawsDock => false;
}

internal sealed class ConditionInput : SettingInput<SettingKind.Condition>
{
    public override bool RedrawsDock => false;
}

internal sealed class FormulaInput : SettingInput<SettingKind.Formula>
{
    public override bool RedrawsDock => false;
}

internal sealed class TemplateInput : SettingInput<SettingKind.Template>
{
    public override bool RedrawsDock => false;

    public override string Partial(SettingView view) => "/Build/Composer/Settings/_Line.cshtml";
}

internal sealed class ReferenceLinesInput : SettingInput<SettingKind.ReferenceLines>
{
    public override string Partial(SettingView view) => "/Build/Composer/Settings/_Lines.cshtml";
}

internal sealed class ToggleInput : SettingInput<SettingKind.Toggle>
{
    protected override string Text(object of, Setting setting, IFormCollection form) =>
        base.Text(of, setting, form) is var text && Computed.IsFormula(text) ? text : Setting.Word(text.Length > 0);
}
