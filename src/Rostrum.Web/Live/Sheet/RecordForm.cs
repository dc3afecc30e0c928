using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Sheet;

/// <summary>One field of the form, as it is shown.</summary>
internal sealed record FormField
{
    public required Field Field { get; init; }

    public required string Label { get; init; }

    public Relation? Relation { get; init; }

    /// <summary>What stands in the input.</summary>
    public string Text { get; init; } = "";

    /// <summary>The value that the edit began with, exactly; null for a blank.</summary>
    public string? Original { get; init; }

    /// <summary>The title of the related record that is chosen.</summary>
    public string? RelatedTitle { get; init; }

    /// <summary>The value as people read it, for fields that cannot be edited.</summary>
    public string Display { get; init; } = "";

    /// <summary>Why it cannot be edited; null where it can.</summary>
    public string? ReadOnlyBecause { get; init; }

    /// <summary>What is wrong with it, and what is to be thought over.</summary>
    public ImmutableArray<FieldProblem> Said { get; init; } = [];

    /// <summary>The value as it is kept, for fields that cannot be edited.</summary>
    public object? Value { get; init; }

    /// <summary>What a new record has here by its default, as it stands in the input.</summary>
    public string Usual { get; init; } = "";

    /// <summary>Blank is refused.</summary>
    public bool IsRequired { get; init; }

    public bool IsInvalid => Said.Any(problem => !problem.Warns);

    /// <summary>What somebody else saved meanwhile, as people read it and as it would stand in the input.</summary>
    public (string Display, string Text)? Meanwhile { get; init; }

    /// <summary>What tells its inputs from those of other forms on the page.</summary>
    public string Prefix { get; init; } = "field";

    public string Id => $"{Prefix}-{Field.Name}";

    public string InputName => $"v.{Field.Name}";

    public string? DescribedBy =>
        string.Join(
            ' ',
            new[]
            {
                $"{Id}-problem",
                Field.Description is null ? null : $"{Id}-help",
                Meanwhile is null ? null : $"{Id}-meanwhile",
            }.OfType<string>()
        )
            is { Length: > 0 } ids
            ? ids
            : null;
}

/// <summary>A record's form: from the record, or from what a person typed, with nothing of that lost.</summary>
internal sealed record RecordForm(ImmutableArray<FormField> Fields)
{
    /// <summary>What stands for bytes that are to be removed.</summary>
    public const string NoBytes = "none";

    /// <summary>The contents of the files that take the place of bytes, by their fields.</summary>
    public ImmutableDictionary<FieldName, byte[]> Contents { get; init; } = ImmutableDictionary<FieldName, byte[]>.Empty;

    /// <summary>What the typed texts amount to, against the values that the edit began with.</summary>
    /// <param name="Original">The values that the edit began with, of the fields that can be edited.</param>
    /// <param name="Changed">The new values of the fields whose text was changed.</param>
    /// <param name="Problems">Texts that are no values.</param>
    public sealed record Typed(FieldValues Original, FieldValues Changed, ImmutableArray<FieldProblem> Problems);

    public static RecordForm Of(
        Dataset dataset,
        IEnumerable<FieldName> fields,
        Grant grant,
        Record? record,
        RecordFormat format,
        SignedIn? user,
        string prefix = "field",
        IReadOnlyDictionary<FieldName, object?>? startsWith = null
    ) =>
        new([
            .. from name in fields
            let field = dataset.Find(name)
            where field is not null && (record is null ? field.ReadOnlyBecause is null : record.Has(name))
            let relation = dataset.RelationOf(name)
            let value = record?[name]
            let usual = record is null && startsWith is not null && startsWith.TryGetValue(name, out var own)
                ? FieldText.InForm(field.Type, own, format)
            : record is null
            && FieldDefault.Value(field, user, new FormulaContext(format.Clock.GetUtcNow(), format.Zone)) is Parsed.Value { Is: { } given }
                ? FieldText.InForm(field.Type, given, format)
            : ""
            select new FormField
            {
                Field = field,
                Prefix = prefix,
                Label = dataset.LabelOf(name),
                Relation = relation,
                Text = record is null ? usual : FieldText.InForm(field.Type, value, format),
                Usual = usual,
                IsRequired = dataset.Requires(field),
                Value = value,
                Original = value is null or Unreadable or byte[] ? null : FieldText.ToCanonical(field.Type, value),
                RelatedTitle = relation is null ? null : record?.TitleOf(relation.Name),
                Display = (relation is null ? null : record?.TitleOf(relation.Name)) ?? format.Display(field, value),
                ReadOnlyBecause = ReadOnlyReason(dataset, field, grant, record, value),
            },
        ]);

    /// <summary>Whether a field and the one after it stand side by side, where there is room for two.</summary>
    public bool BeginsPair(FormField field) =>
        Fields.IndexOf(field) is var at && at + 1 < Fields.Length && FieldPairs.Belong(field.Label, Fields[at + 1].Label);

    /// <summary>The same form with what was typed into it.</summary>
    public RecordForm Filled(IFormCollection posted) =>
        new([
            .. Fields.Select(field =>
                field.ReadOnlyBecause is not null || !posted.ContainsKey(field.InputName)
                    ? field
                    : field with
                    {
                        Text =
                            posted[$"r.{field.Field.Name}"] == "yes" ? NoBytes
                            : field.Field.Format is DisplayFormat.RichText ? RichText.Clean(posted[field.InputName].ToString()) ?? ""
                            : posted[field.InputName].ToString(),
                        Original = posted.ContainsKey($"o.{field.Field.Name}") ? posted[$"o.{field.Field.Name}"].ToString() : null,
                        RelatedTitle =
                            posted[$"t.{field.Field.Name}"].ToString() is { Length: > 0 } title ? title
                            : posted[field.InputName].ToString() == field.Text ? field.RelatedTitle
                            : null,
                    }
            ),
        ]);

    public Typed Read(RecordFormat format)
    {
        var original = FieldValues.None;
        var changed = FieldValues.None;
        var problems = ImmutableArray.CreateBuilder<FieldProblem>();
        foreach (var field in Fields.Where(field => field.ReadOnlyBecause is null))
        {
            // Bytes are not sent to a form and back: what was there is not compared.
            if (field.Field.Type is FieldType.Binary)
            {
                changed =
                    field.Text == NoBytes ? changed.With(field.Field.Name, null)
                    : field.Text.Length > 0 ? changed.With(field.Field.Name, Contents.GetValueOrDefault(field.Field.Name, []))
                    : changed;
                continue;
            }

            var was =
                field.Original is null ? null
                : FieldText.FromCanonical(field.Field.Type, field.Original) is Parsed.Value value ? value.Is
                : null;
            original = original.With(field.Field.Name, was);
            if (Same(field.Text, FieldText.InForm(field.Field.Type, was, format)))
            {
                // Taken out on purpose: the default would otherwise come back.
                changed = field is { Usual.Length: > 0, Original: null } ? changed.With(field.Field.Name, null) : changed;
                continue;
            }

            switch (FieldText.FromForm(field.Field.Type, field.Text, format))
            {
                case Parsed.Value typed:
                    changed = changed.With(field.Field.Name, typed.Is);
                    break;
                case Parsed.Problem problem:
                    problems.Add(new FieldProblem(field.Field.Name, problem.Message));
                    break;
                default:
                    throw new InvalidOperationException("a text is a value or a problem");
            }
        }

        return new Typed(original, changed, problems.ToImmutable());
    }

    public RecordForm WithProblems(IEnumerable<FieldProblem> problems)
    {
        var byField = problems.Where(problem => problem.Field is not null).ToLookup(problem => problem.Field!.Value);
        return new RecordForm([
            .. Fields.Select(field => byField.Contains(field.Field.Name) ? field with { Said = [.. byField[field.Field.Name]] } : field),
        ]);
    }

    /// <summary>Whether a problem is at one of the fields.</summary>
    public bool Shows(FieldProblem problem) =>
        problem.Field is { } name && Fields.Any(field => field.Field.Name == name && field.ReadOnlyBecause is null);

    /// <summary>
    /// After a conflict: the edit now begins with the record as it is, and says where that differs from what it began with.
    /// </summary>
    public RecordForm Rebased(Record current, RecordForm fresh, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(current);
        return new RecordForm([.. Fields.Zip(fresh.Fields, (mine, theirs) =>
            {
                if (mine.ReadOnlyBecause is not null || mine.Original == theirs.Original)
                {
                    return mine;
                }

                var was =
                    mine.Original is null ? null
                    : FieldText.FromCanonical(mine.Field.Type, mine.Original) is Parsed.Value value ? value.Is
                    : null;
                var untouched = Same(mine.Text, FieldText.InForm(mine.Field.Type, was, format));
                return untouched
                    ? theirs with
                    {
                        Meanwhile = (theirs.Display, theirs.Text),
                    }
                    : mine with
                    {
                        Original = theirs.Original,
                        Meanwhile = (theirs.Display, theirs.Text),
                    };
            })]);
    }

    // Browsers send line ends as CR LF, whatever the text had.
    private static bool Same(string typed, string shown) => typed.ReplaceLineEndings("\n") == shown.ReplaceLineEndings("\n");

    private static string? ReadOnlyReason(Dataset dataset, Field field, Grant grant, Record? record, object? value) =>
        field.ReadOnlyBecause
        ?? dataset.ReadOnlyBecause
        ?? (value is Unreadable ? "Its value cannot be shown, so it cannot be edited here." : null)
        ?? (record is not null && !grant.Allows(Verbs.Update) ? $"You may not change {dataset.LabelInSentence}." : null)
        ?? (
            (record is null ? grant.WritableInNew : grant.Writable).Has(field.Name)
                ? null
                : $"You may not change {Wording.InSentence(dataset.LabelOf(field.Name))}."
        );
}
