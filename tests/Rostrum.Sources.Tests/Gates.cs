using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests;

internal static class Gates
{
    public static Grants All { get; } = Grants.Everywhere(Grant.Everything);

    public static RecordFormat Format { get; } = new(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);

    public static RecordGate For(ISourceDirectory sources) => new(sources, Format);

    public static async Task<ReadResult.Rows> RowsAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        ReadRequest request,
        Grants? grants = null
    ) => Assert.IsType<ReadResult.Rows>(await gate.ReadAsync(catalogue, request, grants ?? All, CancellationToken.None));

    public static Dataset Named(this DatasetCatalogue catalogue, string name) =>
        catalogue.All.Single(dataset => dataset.Name.Value == name);

    public static Task<SaveResult> SaveAsync(
        this RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        Grants? grants = null
    ) => gate.SaveAsync(catalogue, new ChangeSet(dataset.Id, [change]), grants ?? All, CancellationToken.None);

    public static async Task<SavedChange> SavedAsync(
        this RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        Grants? grants = null
    ) =>
        await gate.SaveAsync(catalogue, dataset, change, grants) switch
        {
            SaveResult.Saved { Changes: [var saved] } => saved,
            SaveResult.Invalid invalid => throw new InvalidOperationException(string.Join(" ", invalid.Problems)),
            var other => throw new InvalidOperationException(other.ToString()),
        };

    public static FieldValues Values(params (string Field, object? Value)[] values) =>
        new(values.Select(value => KeyValuePair.Create(new FieldName(value.Field), value.Value)));
}
