using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels;

/// <summary>A field's value as it is read.</summary>
internal sealed record ShownField(string Label, Field Field, object? Value, string Display, Relation? Relation)
{
    public bool HasMarkup => Relation is null && (ValueMarkup.IsFor(Field) || ValueMarkup.IsProse(Field));

    /// <summary>Fields of a record; those that are not there for the person are left out.</summary>
    public static ImmutableArray<ShownField> Of(RecordFormat format, Dataset dataset, ImmutableArray<FieldName> fields, Record record) =>
        [
            .. from name in fields
            where record.Has(name)
            let field = dataset[name]
            let relation = dataset.RelationOf(name)
            let title = relation is null ? null : record.TitleOf(relation.Name)
            select new ShownField(
                dataset.LabelOf(name),
                field,
                record[name],
                title ?? format.Display(field, record[name]),
                title is null ? null : relation
            ),
        ];
}
