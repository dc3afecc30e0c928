using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Puts formatted texts as they are kept: without what could run.</content>
public sealed partial class RecordGate
{
    // Formatted texts as they are kept.
    private ChangeSet Cleaned(Dataset dataset, ChangeSet changes) =>
        _connections.Services.CleanFormatted is null || dataset.Fields.All(field => field.Format is not DisplayFormat.RichText)
            ? changes
            : changes with
            {
                Changes = [.. changes.Changes.Select(change => Cleaned(dataset, change))],
            };

    private Change Cleaned(Dataset dataset, Change change)
    {
        FieldValues Values(FieldValues values) =>
            new(
                values.Select(pair =>
                    pair.Value is string text && dataset.Find(pair.Key)?.Format is DisplayFormat.RichText
                        ? KeyValuePair.Create(pair.Key, (object?)_connections.Services.CleanFormatted!(text))
                        : pair
                )
            );
        return _connections.Services.CleanFormatted is null
            ? change
            : change switch
            {
                Change.Insert insert => insert with { Values = Values(insert.Values) },
                Change.Update update => update with { Values = Values(update.Values) },
                _ => change,
            };
    }
}
