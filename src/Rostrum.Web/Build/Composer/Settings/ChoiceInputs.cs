using Rostrum.Core.Apps.Settings;

namespace Rostrum.Web.Build.Composer.Settings;

internal sealed class SomeDatasetInput : SettingInput<SettingKind.SomeDataset>
{
    public override string Partial(SettingView view) => "/Build/Composer/Settings/_SomeNamed.cshtml";
}

internal sealed class OneFieldInput : SettingInput<SettingKind.OneField>
{
    public override string Partial(SettingView view) => "/Build/Composer/Settings/_SomeNamed.cshtml";
}

internal sealed class SomeRecordInput : SettingInput<SettingKind.SomeRecord>
{
    public override bool RedrawsDock => false;
}

internal sealed class SomeRecordsInput : SettingInput<SettingKind.SomeRecords>
{
    public override bool RedrawsDock => false;

    public override string Partial(SettingView view) => "/Build/Composer/Settings/_SomeRecord.cshtml";
}
