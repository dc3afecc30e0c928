using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Sheet.Inputs;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>A cell into which somebody can type, as it is shown.</summary>
/// <param name="Text">What stands in its editor.</param>
/// <param name="Original">The record's value, exactly; null for a blank.</param>
/// <param name="Was">What people read of the record's value, where something else was typed; null where nothing was.</param>
/// <param name="Shown">What people read of what was typed.</param>
/// <param name="Problem">What is wrong with it.</param>
/// <param name="Now">The record's value now, exactly.</param>
internal sealed record GridCell(string Text, string? Original, string? Was, string Shown, string? Problem, string? Now)
{
    /// <summary>Somebody else has changed the value since the edit began.</summary>
    public bool Meanwhile => Was is not null && Now != Original;

    /// <summary>Who has, and when; null where nobody can say.</summary>
    public string? By { get; init; }
}

/// <summary>What can be typed into a table, and what was and is not saved yet.</summary>
internal sealed record GridView(TableView Table, UnsavedChanges Changes, DateTimeOffset? At)
{
    /// <summary>What is wrong with rows, by their keys.</summary>
    public ImmutableDictionary<string, ImmutableArray<FieldProblem>> Problems { get; init; } =
        ImmutableDictionary<string, ImmutableArray<FieldProblem>>.Empty;

    /// <summary>Who changed fields last that somebody else changed since an edit of them began, and when: by row and field.</summary>
    public IReadOnlyDictionary<(string Row, string Field), string> Theirs { get; init; } = new Dictionary<(string, string), string>();

    /// <summary>The shown records that may be changed, by their keys.</summary>
    public required IReadOnlySet<RecordKey> Changeable { get; init; }

    /// <summary>The shown records that may be deleted, by their keys.</summary>
    public required IReadOnlySet<RecordKey> Deletable { get; init; }

    /// <summary>Why nothing can be typed into a row; null where something can. What was typed before stays to be seen.</summary>
    public string? FixedBecause(RecordKey? key) =>
        !MayChange || key is null || Changeable.Contains(key) || Changes.Rows.ContainsKey(key.ToText(Table.Dataset))
            ? null
            : $"You may not change this {Table.Dataset.RecordLabel}.";

    public bool CanDelete(RecordKey? key) => MayDelete && key is not null && Deletable.Contains(key);

    /// <summary>The shown rows with cells that somebody else changed since their edits began.</summary>
    public ImmutableArray<string> Conflicts { get; init; } = [];

    public bool MayChange => Table.Grant.Allows(Verbs.Update);

    public bool MayAdd => Table.Panel.AllowAdding && Table.Grant.Allows(Verbs.Create);

    public bool MayDelete => Table.Grant.Allows(Verbs.Delete);

    public string Address => Table.Run.State.At(Table.Run.Path, ("handler", "Grid"), ("panel", Table.Panel.Name));

    public IEnumerable<KeyValuePair<string, UnsavedRow>> New => Changes.Rows.Where(row => row.Value.IsNew);

    /// <summary>“3 changed, 1 new, 1 to delete”.</summary>
    public string Said
    {
        get
        {
            var (changed, added, deleted) = Changes.Counts;
            return string.Join(
                ", ",
                new[]
                {
                    changed > 0 ? $"{changed:N0} changed" : null,
                    added > 0 ? $"{added:N0} new" : null,
                    deleted > 0 ? $"{deleted:N0} to delete" : null,
                }.OfType<string>()
            );
        }
    }

    /// <summary>What may be written in the shown records, each as it is for that one.</summary>
    public required Func<RecordKey, Grant> Grants { get; init; }

    /// <summary>Whether a cell of a shown record can be typed into.</summary>
    public bool CanEdit(TableColumn column, RecordKey? key) =>
        CanEdit(column, isNew: false) && (key is null || Grants(key).Writable.Has(column.Field.Name));

    public bool CanEdit(TableColumn column, bool isNew) =>
        !column.IsOwn
        && Table.Panel.Editable.Contains(column.Field.Name)
        && column.Field is { ReadOnlyBecause: null, Type.IsTyped: true }
        && (isNew ? MayAdd && Table.Grant.WritableInNew.Has(column.Field.Name) : MayChange && Table.Grant.Writable.Has(column.Field.Name));

    public GridCell Cell(TableColumn column, Record? record, string key)
    {
        var (field, format) = (column.Field, Table.Run.Format);
        var value = record?[field.Name];
        var original = value is null or Unreadable ? null : FieldText.ToCanonical(field.Type, value);
        var shown = record is null ? "" : column.Display(record, format);
        if (Changes.Rows.GetValueOrDefault(key)?.Cells.GetValueOrDefault(field.Name.Value) is not { } typed)
        {
            return new GridCell(FieldText.InForm(field.Type, value, format), original, null, shown, ProblemOf(key, field.Name), original);
        }

        var read = FieldText.FromForm(field.Type, typed.Text, format);
        var said = typed.Shown
            ?? (read is Parsed.Value { Is: { } parsed } && column.Relation is null ? format.Display(field, parsed) : typed.Text);
        return new GridCell(
            typed.Text,
            typed.Original,
            record is null ? null
                : shown.Length == 0 ? "blank"
                : shown,
            said.Length == 0 ? "blank" : said,
            ProblemOf(key, field.Name) ?? (read as Parsed.Problem)?.Message,
            original
        )
        {
            By = Theirs.GetValueOrDefault((key, field.Name.Value)),
        };
    }

    private string? ProblemOf(string key, FieldName field) =>
        Problems.GetValueOrDefault(key, []).FirstOrDefault(problem => problem.Field == field)?.Message;

    /// <summary>What is wrong with a row as a whole.</summary>
    public string? RowProblem(string key) =>
        Table.Run.Refused.GetValueOrDefault((Table.Panel.Name, key))
        ?? Problems.GetValueOrDefault(key, []).FirstOrDefault(problem => problem.Field is null || !IsShown(problem.Field.Value)) switch
        {
            { Field: { } field } problem => $"{Table.Dataset.LabelOf(field)}: {problem.Message}",
            { } problem => problem.Message,
            _ => null,
        };

    private bool IsShown(FieldName field) => Table.Columns.Any(column => column.Field.Name == field);

    /// <summary>How a column’s cells are typed into, for the browser.</summary>
    public string Editor(TableColumn column)
    {
        var field = column.Field;
        var editor = new Editing(
            column.Relation is not null ? "relation"
                : field.Type is FieldType.Choice or FieldType.YesNo ? "choice"
                : field.Type.IsLong ? "long"
                : field.Type.IsNumeric ? "number"
                : FieldInput.Of(field.Type).Picks ?? "text",
            column.Relation is null
                ? null
                : Table.Run.State.At(Table.Run.Path, ("handler", "Lookup"), ("panel", Table.Panel.Name), ("field", field.Name.Value)),
            field.Type switch
            {
                FieldType.Choice choice => [.. choice.Options.Select(option => (string[])[option, field.LabelOf(option)])],
                FieldType.YesNo =>
                [
                    ["true", "Yes"],
                    ["false", "No"],
                ],
                _ => [],
            },
            !Table.Dataset.Requires(field)
        );
        return JsonSerializer.Serialize(editor, JsonSerializerOptions.Web);
    }

    private sealed record Editing(string Kind, string? Lookup, string[][] Options, bool Blank);
}
