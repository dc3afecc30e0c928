using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>The charts that suit a dataset's fields.</summary>
public static class ChartProposals
{
    /// <summary>One chart: by a choice, by time, or else by the first field that has one.</summary>
    public static ChartPanel Usual(string name, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return For(dataset, name).Select(proposal => proposal.Chart).FirstOrDefault()
            ?? new ChartPanel
            {
                Name = name,
                Dataset = dataset.Id,
                Width = 6,
                By = dataset.Fields.FirstOrDefault(field => !field.Hidden)?.Name,
            };
    }

    /// <summary>Charts with what each shows, the likeliest first.</summary>
    public static IEnumerable<(string Key, string Says, ChartPanel Chart)> For(Dataset dataset, string name)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        Field[] fields = [.. dataset.Fields.Where(field => field is { Hidden: false, Formula: null })];
        ChartPanel Chart(ChartType type) =>
            new()
            {
                Name = name,
                Dataset = dataset.Id,
                Width = 6,
                Type = type,
            };
        if (fields.FirstOrDefault(field => field.Type is FieldType.Choice) is { } choice)
        {
            yield return (
                "byChoice",
                $"A chart of {dataset.LabelInSentence} by {choice.Label.ToLowerInvariant()}",
                Chart(ChartType.Bars) with
                {
                    By = choice.Name,
                    Heading = $"By {choice.Label.ToLowerInvariant()}",
                }
            );
        }

        if (fields.FirstOrDefault(field => field.Type.HasDay) is { } when)
        {
            var money = fields.FirstOrDefault(field => field.Format is DisplayFormat.Money);
            yield return (
                "byMonth",
                $"A chart of {(money is null ? dataset.LabelInSentence : dataset.LabelOf(money.Name).ToLowerInvariant())} by month",
                Chart(ChartType.Line) with
                {
                    By = when.Name,
                    ByGrouping = Grouping.Month,
                    Measure = money is null ? null : Total.Sum,
                    Field = money?.Name,
                    Heading = "By month",
                }
            );
        }

        if (dataset.Relations.FirstOrDefault(relation => !relation.OneToOne) is { } related)
        {
            yield return (
                "byRelation",
                $"A chart of {dataset.LabelInSentence} by {related.Label.ToLowerInvariant()}, the most first",
                Chart(ChartType.SidewaysBars) with
                {
                    By = related.Field,
                    Largest = 10,
                    Heading = $"By {related.Label.ToLowerInvariant()}",
                }
            );
        }
    }
}
