using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>A value that can be chosen, and how many records have it under the other conditions.</summary>
internal sealed record FilterChoice(string Value, string Label, string Count, bool IsChosen);

/// <summary>What one part of the filter sentence offers.</summary>
internal sealed record FilterEditorView
{
    private const int MostChoices = 60;

    public required Field Field { get; init; }

    public required string Label { get; init; }

    public required string Path { get; init; }

    public required ListState State { get; init; }

    public required FieldCondition Condition { get; init; }

    public required ImmutableArray<FilterChoice> Choices { get; init; }

    public string? Failure { get; init; }

    public bool HasRange => Field.Type.IsNumeric || Field.Type.IsTemporal;

    public bool HasText { get; init; }

    public string RangeInput => Field.Type switch
    {
        FieldType.Date or FieldType.Instant or FieldType.LocalDateTime => "date",
        FieldType.Time => "time",
        _ => "text",
    };

    /// <summary>The address without this part.</summary>
    public string RemoveAddress => Path + State.Closed().With(Field.Name.Value, FieldCondition.None).ToQuery();

    public static async Task<FilterEditorView?> ReadAsync(RecordGate gate, RecordFormat format, RunningApp app, string path, Dataset dataset, Grants grants, ListState state, FieldName name, CancellationToken cancellation)
    {
        if (dataset.Find(name) is not { Type.IsSortable: true } field || !grants.For(dataset.Id).Readable.Has(name))
        {
            return null;
        }

        var relation = dataset.RelationOf(name);
        var condition = state.Conditions.GetValueOrDefault(name.Value, FieldCondition.None);
        var view = new FilterEditorView
        {
            Field = field,
            Label = dataset.LabelOf(name),
            Path = path,
            State = state,
            Condition = condition,
            Choices = [],
            HasText = field.Type is FieldType.Text && relation is null,
        };
        if (view.HasRange || field.Type is FieldType.Text { Long: true })
        {
            return view;
        }

        var (others, _) = Conditions.Read(dataset, state.With(name.Value, FieldCondition.None), format.Zone);
        return await gate.GroupAsync(app.Datasets, new GroupRequest(dataset.Id, name, others, state.Search, MostChoices), grants, cancellation) switch
        {
            GroupResult.Groups groups => view with { Choices = [.. groups.Values.Select(value => Choice(format, field, condition, value))] },
            GroupResult.Denied denied => view with { Failure = denied.Reason },
            GroupResult.Failed failed => view with { Failure = failed.Failure.Message },
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    private static FilterChoice Choice(RecordFormat format, Field field, FieldCondition condition, ValueCount value)
    {
        var text = value.Value is null or Unreadable ? FieldCondition.Blank : FieldText.ToCanonical(field.Type, value.Value);
        return new FilterChoice(text, value.Title ?? (value.Value is null ? "blank" : format.Display(field.Type, value.Value)), value.Count.ToString("#,##0", format.Culture), condition.Values.Contains(text));
    }
}
