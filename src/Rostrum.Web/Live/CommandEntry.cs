using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live;

/// <summary>Something with a name, as the command line offers it.</summary>
/// <param name="Words">What it is called.</param>
/// <param name="Kind">What it is, for telling apart what is called the same.</param>
/// <param name="Go">Its address.</param>
internal sealed record CommandEntry(string Words, string Kind, string Go)
{
    public static CommandEntry Of(Dataset dataset) => new(dataset.Label, "dataset", AddressOf(dataset));

    public static IEnumerable<CommandEntry> FieldsOf(Dataset dataset) =>
        dataset.Fields.Select(field => new CommandEntry(
            dataset.LabelOf(field.Name),
            $"field of {dataset.LabelInSentence}",
            $"{AddressOf(dataset)}?field={field.Name}"
        ));

    private static string AddressOf(Dataset dataset) => $"/build/sources/{dataset.Source}/{dataset.Id}";
}
