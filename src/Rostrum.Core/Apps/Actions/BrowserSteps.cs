using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Puts a text on the person's clipboard.</summary>
public sealed record CopyText : PageStep, IStepKind
{
    /// <summary>The text, or a formula for it.</summary>
    public string Text { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(new StepEffect.Copy(scope.Text(Text)));
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Copy to the clipboard",
            () => new CopyText(),
            [
                Of<CopyText>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
            ]
        );
}

/// <summary>Begins an e-mail in the person's own mail program.</summary>
public sealed record WriteEmail : PageStep, IStepKind
{
    /// <summary>Recipients, with commas between them; each of these can be a formula.</summary>
    public string To { get; init; } = "";

    /// <summary>Who gets a copy.</summary>
    public string Copies { get; init; } = "";

    /// <summary>Who gets a copy that the others do not see.</summary>
    public string BlindCopies { get; init; } = "";

    /// <summary>What it is about.</summary>
    public string Subject { get; init; } = "";

    /// <summary>What it says: a text with values in it.</summary>
    public string Body { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var address = WebAddress.Mail(scope.Text(To), scope.Text(Copies), scope.Text(BlindCopies), scope.Text(Subject), scope.Filled(Body));
        return StepOutcome.Of(new StepEffect.OpenAddress(address, Beside: false));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page) =>
        To.Length + Copies.Length + BlindCopies.Length == 0 ? ["A step writes an e-mail: say to whom."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Write an e-mail",
            () => new WriteEmail(),
            [
                Of<WriteEmail>(
                    "to",
                    "To",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.To,
                    (step, text) => step with { To = text }
                ),
                Of<WriteEmail>(
                    "copies",
                    "Copy to",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Copies,
                    (step, text) => step with { Copies = text }
                ),
                Of<WriteEmail>(
                    "blindCopies",
                    "Blind copy to",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.BlindCopies,
                    (step, text) => step with { BlindCopies = text }
                ),
                Of<WriteEmail>(
                    "subject",
                    "Subject",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Subject,
                    (step, text) => step with { Subject = text }
                ),
                Of<WriteEmail>(
                    "body",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Body,
                    (step, text) => step with { Body = text }
                ) with
                {
                    Help = "Write values as ${ formula }.",
                },
            ]
        );
}

/// <summary>Opens an address outside the app.</summary>
public sealed record OpenAddress : PageStep, IStepKind
{
    /// <summary>The address, or a formula for it.</summary>
    public string Address { get; init; } = "";

    /// <summary>It opens beside the page, and not in its place.</summary>
    public bool Beside { get; init; } = true;

    /// <inheritdoc/>
    public override bool IsLink => true;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var address = scope.Text(Address);
        return address.Length == 0 ? StepOutcome.Failed("There is no address to open.")
            : !WebAddress.IsSafe(address) ? StepOutcome.Failed($"“{address}” is no address that can be opened.")
            : StepOutcome.Of(new StepEffect.OpenAddress(address, Beside));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page) =>
        Address.Length == 0 ? ["A step opens an address: say which."]
        : Computed.IsFormula(Address) || WebAddress.IsSafe(Address) ? []
        : [$"A step opens “{Address}”, which is no address that can be opened. It begins with https://, say."];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Open an address",
            () => new OpenAddress(),
            [
                Of<OpenAddress>(
                    "address",
                    "Address",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Address,
                    (step, text) => step with { Address = text }
                ),
                SettingsOf<OpenAddress>.Toggle(
                    "beside",
                    "Open in a new tab",
                    SettingPart.Content,
                    step => step.Beside,
                    (step, on) => step with { Beside = on }
                ),
            ]
        );
}

/// <summary>Downloads what a table shows, all its pages.</summary>
public sealed record DownloadTable : PageStep, IStepKind
{
    /// <summary>The table's name.</summary>
    public string Table { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.Of(new StepEffect.Download(Table));

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page)
    {
        ArgumentNullException.ThrowIfNull(page);
        return page.Find(Table) is TablePanel
            ? []
            :
            [
                Table.Length == 0
                    ? "A step downloads a table: choose which."
                    : $"A step downloads the table “{Table}”, which is not there.",
            ];
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Download a table",
            () => new DownloadTable(),
            [
                SettingsOf<DownloadTable>.Named(
                    "table",
                    "Table",
                    SettingPart.Content,
                    NamedThing.Table,
                    step => step.Table,
                    (step, text) => step with { Table = text }
                ),
            ]
        );
}
