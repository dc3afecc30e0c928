using System.Collections.Immutable;
using System.Diagnostics;
using Microsoft.Extensions.Logging.Abstractions;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live;

/// <summary>One look at a page: its state, who looks, and what the page's formulas stand for.</summary>
internal sealed partial class PageRun
{
    // A picture, or the choices of a filter, need neither.
    private readonly Lazy<PageScope> _scope;
    private readonly Lazy<PageValues> _values;
    private readonly Lazy<FormulaContext> _context;

    public PageRun(RunningApp app, Page page, string path, PageState state, Grants grants, RecordGate gate, RecordFormat format)
    {
        (App, Page, Path, State, Grants, Gate, Format) = (app, page, path, state, grants, gate.ForOnePage(), format);
        _scope = new(() => PageScope.Of(page, app.Datasets, DatasetShapes.Of(app.Datasets, grants), grants.User));
        _values = new(() => new PageValues(Scope, grants.User));
        Pages = app.Definition.Pages;
        var now = format.Clock.GetUtcNow();
        _context = new(() =>
            new FormulaContext(now.AddTicks(-(now.Ticks % TimeSpan.TicksPerMicrosecond)), format.Zone) { Given = Values.Given }
        );
    }

    /// <summary>It is the live version, and whoever looks is signed in: what one watches is kept.</summary>
    public bool IsLive { get; init; }

    /// <summary>The own table that is filled and altered; null where the page is one of an app.</summary>
    public TableEditing? Editing { get; init; }

    /// <summary>Somebody looks who has no more than a public link: no actions, nothing that is kept for a person.</summary>
    public bool IsPublic { get; init; }

    /// <summary>The same look by the same person at the page in another state, or at another page.</summary>
    public PageRun At(PageState state) => With(state, Grants, Gate);

    /// <summary>The same look with another gate: from within a transaction.</summary>
    public PageRun Through(RecordGate gate) => With(State, Grants, gate);

    private PageRun With(PageState state, Grants grants, RecordGate gate) =>
        new(App, state.Page, state.Page == Page ? Path : $"{Root}/{state.Page.Address}", state, grants, gate, Format)
        {
            Pages = Pages,
            Personal = state.Page == Page ? Personal : new Dictionary<string, PersonalTable>(),
            Unsaved = state.Page == Page ? Unsaved : new Dictionary<string, (UnsavedChanges, DateTimeOffset)>(),
            Refused = Refused,
            LastChanges = LastChanges,
            OpenMenu = state.Page == Page ? OpenMenu : null,
            Log = Log,
            Writing = Writing,
            IsPublic = IsPublic,
            IsLive = IsLive,
            Editing = Editing,
        };

    /// <summary>Whether whoever looks may take away a dataset's records in a file.</summary>
    public bool MayDownload(Dataset dataset) => !IsPublic && Taking.ForDownload(dataset.Id) is not null;

    // Through somebody else's eyes nobody takes away more than they may themselves.
    private Grants Taking => ReferenceEquals(Writing, Grants) ? Grants : new Grants(Grants.Rights.And(Writing.Rights), Grants.User);

    /// <summary>The same look, at what of a dataset's records may be taken away in a file; null where nothing may.</summary>
    public PageRun? ForDownload(Dataset dataset) =>
        IsPublic || Taking.ForDownload(dataset.Id) is not { } grants ? null : With(State, grants, Gate);

    /// <summary>Where faults of panels are written down.</summary>
    public ILogger Log { get; init; } = NullLogger.Instance;

    /// <summary>Writes down that a panel failed.</summary>
    /// <returns>What is said in its place: the rest of the page stands.</returns>
    public string Fault(Panel panel, Exception exception)
    {
        var number = Activity.Current?.TraceId.ToString() ?? Guid.NewGuid().ToString("N");
        LogFault(Log, panel.Name, Path, number, exception);
        return App.Version is null
            ? $"{exception.Message} (number {number})"
            : $"It has been written down. If it happens again, give an owner this number: {number}";
    }

    /// <summary>
    /// What a person reads of a source's failure: builders all of it, colleagues what helps them, and a number for the owner.
    /// </summary>
    public string Words(SourceFailure failure) =>
        App.Version is null ? failure.Message
        : failure.Reason is FailureReason.TooCostly ? failure.ForColleagues
        : $"{failure.ForColleagues} If it goes on, give an owner this number: {SourceTelemetry.Number}";

    [LoggerMessage(Level = LogLevel.Error, Message = "The panel {Panel} of {Path} failed; number {Number}")]
    private static partial void LogFault(ILogger log, string panel, string path, string number, Exception exception);

    public RunningApp App { get; }

    public Page Page { get; }

    public string Path { get; }

    public PageState State { get; init; }

    public Grants Grants { get; }

    /// <summary>With whose rights records are changed: in a preview they are the builder's own, whoever looks.</summary>
    public Grants Writing
    {
        get => field ?? Grants;
        init;
    }

    public RecordGate Gate { get; }

    public RecordFormat Format { get; }

    public PageScope Scope => _scope.Value;

    public PageGraph Graph => Scope.Graph;

    /// <summary>The one record that a request names; null where it is not there for whoever looks.</summary>
    public async Task<Record?> OneAsync(ReadRequest request, CancellationToken cancellation) =>
        await Gate.ReadAsync(App.Datasets, request, Grants, cancellation) is ReadResult.Rows { Records: [var record] } ? record : null;

    /// <summary>What the names of the page stand for.</summary>
    public PageValues Values => _values.Value;

    public FormulaContext Context => _context.Value;

    /// <summary>Reads the records at which formulas look.</summary>
    public FormulaRecords RecordsForFormulas => new(Gate, App.Datasets, Scope.Shapes, Grants, Context.Now);

    public RequestNames Names => new(Scope.Shapes, Scope.Names, Values.Given);

    /// <summary>The pages that whoever looks sees: nothing leads to others.</summary>
    public ImmutableArray<Page> Pages { get; init; }

    /// <summary>What the person has otherwise in tables of this page than their builder.</summary>
    public IReadOnlyDictionary<string, PersonalTable> Personal { get; set; } = new Dictionary<string, PersonalTable>();

    /// <summary>What the person has typed into tables of this page and not saved, by the tables' names.</summary>
    public IReadOnlyDictionary<string, (UnsavedChanges Changes, DateTimeOffset At)> Unsaved { get; set; } =
        new Dictionary<string, (UnsavedChanges, DateTimeOffset)>();

    /// <summary>
    /// Who changed which fields of some records last, and when, by the record's key and the field; null where nobody can say.
    /// </summary>
    public Func<
        Dataset,
        IReadOnlyCollection<string>,
        CancellationToken,
        Task<IReadOnlyDictionary<(string Key, string Field), string>>
    >? LastChanges { get; set; }

    /// <summary>Why rows of a table could not be saved just now, by the table and the row's key.</summary>
    public IReadOnlyDictionary<(string Panel, string Row), string> Refused { get; set; } = new Dictionary<(string, string), string>();

    private readonly System.Collections.Concurrent.ConcurrentDictionary<DatasetId, string?> _places = new();

    /// <summary>The table whose menu stays open, by its name.</summary>
    public string? OpenMenu { get; set; }

    /// <summary>The app's part of the address, before a page's.</summary>
    public string Root => Path[..Path.LastIndexOf('/')];

    /// <summary>A record that was just saved, to be brought into view.</summary>
    public (DatasetId Dataset, RecordKey Key)? Marked { get; set; }

    /// <summary>What is being typed into a form, by the panel's name.</summary>
    public Dictionary<string, RecordFormView> Forms { get; } = [];

    /// <summary>
    /// Gives the page's names what the address says: values, and the records that it names, as far as formulas look at them.
    /// </summary>
    public async Task PrepareAsync(CancellationToken cancellation)
    {
        var given = Given().ToArray();
        await Task.WhenAll(given.Select(one => SetAsync(one.Value, one.Type, one.Given, cancellation)));
    }

    private IEnumerable<(PageValue Value, FormulaType Type, GivenMember Given)> Given()
    {
        var panels = from panel in Page.All from given in panel.Given(State.Of(panel.Name)) select (panel.Name, given);
        var parameters = Page.Parameters.Select(parameter =>
            (PageScope.Parameters, (GivenMember)new GivenMember.One(parameter.Name, State.Parameters.GetValueOrDefault(parameter.Name)))
        );
        return from known in panels.Concat(parameters)
            from member in Scope.MembersOf(known.Item1)
            where member.Name == known.Item2.Member
            select (new PageValue(known.Item1, member.Name), member.Type, known.Item2);
    }

    // Only records at which formulas look are read.
    private async Task SetAsync(PageValue value, FormulaType type, GivenMember given, CancellationToken cancellation)
    {
        var needs = Scope.ReadOfRecords.GetValueOrDefault(value);
        switch (given)
        {
            case GivenMember.One { Text: var text } when type is FormulaType.Record { Shape: var shape }:
                if (
                    needs is not null
                    && !string.IsNullOrEmpty(text)
                    && Scope.Shapes.Of(shape).Dataset is var dataset
                    && RecordKey.Parse(dataset, text) is { } key
                )
                {
                    Values[value] = await RecordsForFormulas.ReadAsync(dataset, key, needs, cancellation);
                }

                break;
            case GivenMember.One { Text: var text }:
                Values[value] = text is null && value.Panel == PageScope.Parameters ? null : Value(type, text);
                break;
            case GivenMember.Several { Keys: var keys } when type is FormulaType.List { Element: FormulaType.Record { Shape: var shape } }:
                var of = Scope.Shapes.Of(shape).Dataset;
                Values[value] = needs is null
                    ? Array.Empty<object?>()
                    : (
                        await RecordsForFormulas.ReadAsync(
                            of,
                            [.. keys.Select(text => RecordKey.Parse(of, text)).OfType<RecordKey>()],
                            needs,
                            cancellation
                        )
                    )
                        .Cast<object?>()
                        .ToArray();
                break;
        }
    }

    /// <summary>The one panel that is shown within another; null where all of them are.</summary>
    public Panel? ShownAlone(Panel container) => container.ShownAlone(State.Of(container.Name), inner => Truth(inner, inner.Visible));

    /// <summary>A page by its address; null where there is none for whoever looks.</summary>
    public Page? Sees(string address) => Pages.FirstOrDefault(page => page.Address == address);

    /// <summary>
    /// The address of a page that opens for a record, up to the record's key; null where none does. It says from where one came.
    /// </summary>
    public string? RecordPage(Panel panel) =>
        panel.RecordPage is { } address && panel.Of is { } of && Sees(address)?.ParameterFor(of) is { } parameter
            ? $"{Root}/{address}?from={Uri.EscapeDataString(Page.Address + (State with { Open = [] }).ToQuery())}&{parameter.Name}="
            : null;

    /// <summary>
    /// Where the record to which another refers is looked at: on its page, or in the sheet of a list. Null where whoever looks sees
    /// neither.
    /// </summary>
    public string? AddressOf(Relation relation, object? value) =>
        value is not (null or Unreadable)
        && App.Datasets.Find(relation.Target) is { Key: [var key] } target
        && key == relation.TargetField
        && _places.GetOrAdd(target.Id, PlaceOf) is { } place
            ? place + Uri.EscapeDataString(new RecordKey([value]).ToText(target))
            : null;

    /// <summary>Where a record is looked at; null where whoever looks sees no such place.</summary>
    public string? AddressOf(Dataset dataset, RecordKey? key) =>
        key is not null && _places.GetOrAdd(dataset.Id, PlaceOf) is { } place ? place + Uri.EscapeDataString(key.ToText(dataset)) : null;

    private string? PlaceOf(DatasetId dataset)
    {
        var from = Uri.EscapeDataString(Page.Address + (State with { Open = [] }).ToQuery());
        var pages =
            from page in Pages
            where page.ParameterFor(dataset) is not null
            select $"{Root}/{page.Address}?from={from}&{page.ParameterFor(dataset)!.Name}=";
        var sheets =
            from page in Pages
            from list in page.All.OfType<ListPanel>()
            where list.Dataset == dataset && list.OnChoice is RowChoice.Sheet
            select $"{Root}/{page.Address}?{list.Name}.selected=";
        return pages.Concat(sheets).FirstOrDefault();
    }

    /// <summary>The records of a table that are checked.</summary>
    public ImmutableArray<RecordKey> CheckedOf(TablePanel table, Dataset dataset) =>
        [.. State.List(table.Name).Checked.Select(key => RecordKey.Parse(dataset, key)).OfType<RecordKey>()];

    /// <summary>What is wrong with a formula, for a builder who tries the draft; colleagues read whom to tell.</summary>
    public string ForPeople(string problem) =>
        App.Version is null ? problem : "The formula cannot be computed. The builder of this app can fix it.";

    /// <summary>The dataset of a panel that cannot be without one.</summary>
    public Dataset DatasetOf(Panel panel) =>
        App.Datasets.Find(panel.Of!.Value) ?? throw new InvalidOperationException($"App {App.Address} has no dataset {panel.Of}.");

    /// <summary>Where a record's picture is; null where it has none, or it is not there for whoever looks.</summary>
    public string? PictureOf(Panel panel, FieldName? field, Record record, string? key) =>
        field is { } name && key is not null && record.Has(name) && record[name] is not null
            ? $"{Path}?handler=Image&panel={panel.Name}&field={name}&record={Uri.EscapeDataString(key)}"
            : null;

    /// <summary>Why a source gave no records, in words; null where it did.</summary>
    public string? Because(ReadResult result) =>
        result switch
        {
            ReadResult.Rows => null,
            ReadResult.Denied denied => denied.Reason,
            ReadResult.Failed failed => Words(failed.Failure),
            ReadResult.Invalid invalid => ForPeople(invalid.Problem),
            _ => throw new ArgumentOutOfRangeException(nameof(result), result, "unknown result"),
        };

    /// <summary>Why it gave no groups.</summary>
    public string? Because(SummaryResult result) =>
        result switch
        {
            SummaryResult.Groups => null,
            SummaryResult.Denied denied => denied.Reason,
            SummaryResult.Failed failed => Words(failed.Failure),
            SummaryResult.Invalid invalid => ForPeople(invalid.Problem),
            _ => throw new ArgumentOutOfRangeException(nameof(result), result, "unknown result"),
        };

    /// <summary>A request for records in groups, by the columns that dimensions have.</summary>
    public SummaryRequest Summary(
        Dataset dataset,
        IReadOnlyCollection<(FieldName Name, string? Formula)> columns,
        ImmutableArray<FieldTotal?> measures,
        Filter filter
    ) =>
        new(dataset.Id, [.. columns.Select(column => column.Name)], measures, filter)
        {
            Computed = [.. from column in columns where column.Formula is not null select new ComputedColumn(column.Name, column.Formula!)],
            Names = Names,
            Now = Context.Now,
        };

    /// <summary>A formula's value; null where it is blank, or wrong.</summary>
    public object? Evaluate(Panel panel, FormulaPlace place) => Evaluate(Scope.Check(panel, place));

    public object? Evaluate(CheckedFormula formula) =>
        formula.Tree is { } tree ? Compiler.Compile(tree, once: true)(FormulaRecord.None, Context) : null;

    public object? Evaluate(Typed tree) => Compiler.Compile(tree, once: true)(FormulaRecord.None, Context);

    /// <summary>A panel with what the formulas of its settings give at this moment.</summary>
    public Panel Computed(Panel panel) =>
        panel.Formulas.IsEmpty ? panel : panel.WithFormulas(formula => Evaluate(panel, new FormulaPlace(formula)));

    /// <summary>A setting that is yes, no or a formula; a wrong formula is no.</summary>
    public bool Truth(Panel panel, string? setting) =>
        setting is null or "yes" || (Core.Apps.Computed.IsFormula(setting) && Evaluate(panel, new FormulaPlace(setting[1..])) is true);

    /// <summary>A setting that is a number or a formula for one; null where it is blank, or wrong.</summary>
    public decimal? Number(Panel panel, string? setting) =>
        Core.Apps.Computed.IsFormula(setting)
            ? Evaluate(panel, new FormulaPlace(setting![1..])) as decimal?
            : Core.Apps.Computed.Number(setting);

    /// <summary>A setting that is a text or a formula for one, as people read it.</summary>
    public string? Text(Panel panel, string? setting) =>
        !Core.Apps.Computed.IsFormula(setting) ? setting
        : Scope.Check(panel, new FormulaPlace(setting![1..])) is { Tree: { } tree } ? Shown(tree)
        : "";

    /// <summary>A formula's value as people read it.</summary>
    public string Shown(Typed tree) => Shown(tree, Evaluate(tree));

    public string Shown(Typed tree, object? value) => ComputedText.Shown(Format, tree, value);

    /// <summary>A record by the formula that names it; null where there is none.</summary>
    public (Dataset Dataset, RecordKey Key)? Record(Panel panel, string? formula) =>
        formula is not null
        && Scope.Check(panel, new FormulaPlace(formula)) is { Tree: { Type: FormulaType.Record { Shape: var shape } } tree }
        && Scope.Shapes.Knows(shape)
        && Evaluate(tree) is FormulaRecord { Identity: RecordKey key }
            ? (Scope.Shapes.Of(shape).Dataset, key)
            : null;

    /// <summary>
    /// What narrows a panel's records: to those that belong to a record, and to those for which its condition holds. Null with the reason
    /// where the record is not known yet.
    /// </summary>
    public (Filter? Filter, string? Because, (FieldName Field, object Value)? Parent) Narrowed(Panel panel, string? within, string? filter)
    {
        var narrowed = Filter.Both(QueryValues(panel), filter is null ? new Filter.Everything() : new Filter.Holds(filter));
        if (within is null)
        {
            return (narrowed, null, null);
        }

        if (Scope.Whose(panel, Scope.Check(panel, new FormulaPlace(within))) is not { } whose)
        {
            return (null, "“Related to” is not a list of records.", null);
        }

        var of = Scope.Shapes.Of(((FormulaType.Record)whose.Record.Type).Shape);
        return
            Evaluate(whose.Record) is FormulaRecord record
            && of.Shape.IndexOf(whose.Relation.TargetField.Value) is >= 0 and var index
            && record[index] is { } key
            && FieldDefault.FieldValue(of.Dataset[whose.Relation.TargetField].Type, of.Shape.Members[index].Value, key, Context.Zone)
                is Parsed.Value { Is: { } value }
            ? (Filter.Both(new Filter.OneOf(whose.Relation.Field, [value]), narrowed), null, (whose.Relation.Field, value))
            : (null, $"Choose a {of.Dataset.RecordLabel} to see its {App.Datasets.Find(panel.Of!.Value)!.LabelInSentence}.", null);
    }

    // What a panel gives to the parameters of the query that it shows.
    private Filter QueryValues(Panel panel)
    {
        if (panel.QueryValues.IsEmpty || App.Datasets.Find(panel.Of ?? default) is not { Parameters.IsEmpty: false } dataset)
        {
            return new Filter.Everything();
        }

        var asFields = dataset with { Fields = [.. dataset.Parameters.Select(parameter => parameter.AsField)] };
        return new Filter.Given(
            panel
                .QueryValues.Select(pair => (pair.Key, Value: FieldValue(asFields, new FieldName(pair.Key), pair.Value, panel)))
                .Where(pair => pair.Value is Parsed.Value { Is: not null })
                .ToImmutableDictionary(
                    pair => pair.Key,
                    pair => DatasetShapes.Carried(((Parsed.Value)pair.Value).Is),
                    StringComparer.OrdinalIgnoreCase
                )
        );
    }

    /// <summary>A value as a field of a dataset takes it: a constant as it is typed, or a formula's value.</summary>
    public Parsed FieldValue(
        Dataset dataset,
        FieldName name,
        string text,
        Panel panel,
        FormulaPlace? place = null,
        Func<CheckedFormula, object?>? evaluate = null
    ) =>
        ComputedText.FieldValue(
            dataset,
            name,
            text,
            Context.Zone,
            formula => Scope.Check(panel, (place ?? new FormulaPlace("")) with { Formula = formula }),
            formula => evaluate?.Invoke(formula) ?? Evaluate(formula)
        );

    /// <summary>What an input's text stands for; blank where it is none of its type.</summary>
    public object? Value(FormulaType type, string? text) =>
        type is FormulaType.Text && text is { Length: > 0 } ? text
        : type is FormulaType.Boolean ? text is "true" or "yes"
        : string.IsNullOrEmpty(text) ? null
        : Formulary(FieldText.FromForm(DatasetShapes.FieldTypeOf(type), text, Format));

    private static object? Formulary(Parsed parsed) =>
        parsed is Parsed.Value { Is: var value }
            ? value is long number
                ? (decimal)number
                : value
            : null;
}
