using System.Collections.Immutable;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>A panel that suits the data, ready to be added.</summary>
/// <param name="Key">What tells it from the others for the same dataset and page.</param>
/// <param name="Says">What it would show.</param>
/// <param name="Panel">The panel.</param>
public sealed record PanelProposal(string Key, string Says, Panel Panel);

/// <summary>
/// Proposes panels from the shape of a dataset, and from what stands on the page already: what is selected there comes first.
/// </summary>
public static class PanelProposals
{
    /// <summary>The panels that suit, the likeliest first.</summary>
    /// <param name="page">The page to which one would be added.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="catalogue">All datasets.</param>
    public static ImmutableArray<PanelProposal> For(Page page, Dataset dataset, DatasetCatalogue catalogue)
    {
        ArgumentNullException.ThrowIfNull(page);
        ArgumentNullException.ThrowIfNull(dataset);
        return
        [
            .. Connected(page, dataset, catalogue),
            .. Lists(page, dataset),
            .. Visuals(page, dataset),
            .. Figures(page, dataset),
            .. Forms(page, dataset),
        ];
    }

    // What belongs to a record that the page knows: one that is selected, or that its address names.
    private static IEnumerable<PanelProposal> Connected(Page page, Dataset dataset, DatasetCatalogue catalogue)
    {
        var known = page
            .All.OfType<ListPanel>()
            .Where(list => list.OnChoice is RowChoice.Select)
            .Select(list => (Path: $"{Formatter.Name(list.Name)}.selected", Of: list.Dataset, Words: $"that is selected in “{list.Name}”"))
            .Concat(
                page.Parameters.Where(parameter => parameter.Dataset is not null)
                    .Select(parameter =>
                        (
                            Path: $"{PageScope.Parameters}.{Formatter.Name(parameter.Name)}",
                            Of: parameter.Dataset!.Value,
                            Words: "that the page is about"
                        )
                    )
            );
        foreach (var (path, of, words) in known)
        {
            if (of == dataset.Id)
            {
                yield return new(
                    $"record {path}",
                    $"The {dataset.RecordLabel} {words}",
                    ((RecordPanel)RecordPanel.Kind.Make(Named(page, dataset.RecordLabel), dataset)) with
                    {
                        Record = path,
                    }
                );
            }

            foreach (
                var relation in dataset.Relations.Where(relation =>
                    relation.Target == of && !relation.OneToOne && catalogue.Find(of) is not null
                )
            )
            {
                var table = AppDrafting.Table(Named(page, dataset.Name.Value), dataset);
                yield return new(
                    $"within {path} {relation.InverseName}",
                    $"{dataset.Label} of the {catalogue.Find(of)!.RecordLabel} {words}",
                    table with
                    {
                        RelatedTo = $"{path}.{Formatter.Name(relation.InverseName.Value)}",
                        Columns = [.. table.Columns.Where(column => column != relation.Field)],
                        OnChoice = RowChoice.Sheet,
                        RowsPerPage = 10,
                    }
                );
            }
        }
    }

    private static IEnumerable<PanelProposal> Lists(Page page, Dataset dataset)
    {
        var table = AppDrafting.Table(Named(page, dataset.Name.Value), dataset);
        yield return new("table", $"{dataset.Label} in rows", table with { OnChoice = RowChoice.Select });
        var cards = (CardsPanel)CardsPanel.Kind.Make(table.Name, dataset);
        yield return cards.Picture is not null
            ? new("gallery", $"{dataset.Label} by their pictures", cards)
            : new("list", $"{dataset.Label}, one below the other", cards with { Layout = CardLayout.List, RowsPerPage = 10, Width = 6 });
    }

    // A choice is a board, a date a calendar, two dates a timeline, a number and a choice a chart.
    private static IEnumerable<PanelProposal> Visuals(Page page, Dataset dataset)
    {
        if (BoardPanel.Usual(Named(page, $"{dataset.Name}_board"), dataset) is { By: { } by } board && dataset[by].Type is FieldType.Choice)
        {
            yield return new("board", $"{dataset.Label} by {dataset.LabelOf(by).ToLowerInvariant()}, moved from one to the next", board);
        }

        if (CalendarPanel.Usual(Named(page, $"{dataset.Name}_calendar"), dataset) is { Start: not null } calendar)
        {
            yield return new("calendar", $"{dataset.Label} in a calendar", calendar);
        }

        if (TimelinePanel.Usual(Named(page, $"{dataset.Name}_timeline"), dataset) is { Start: not null, End: not null } timeline)
        {
            yield return new("timeline", $"{dataset.Label} from start to end", timeline);
        }

        foreach (var (key, says, chart) in ChartProposals.For(dataset, Named(page, $"{dataset.Name}_chart")))
        {
            yield return new(key, says, chart);
        }
    }

    private static IEnumerable<PanelProposal> Figures(Page page, Dataset dataset)
    {
        FigurePanel Figure(string name) =>
            new()
            {
                Name = Named(page, name),
                Dataset = dataset.Id,
                Width = 3,
            };
        yield return new("count", $"How many {dataset.LabelInSentence} there are", Figure($"{dataset.Name}_count"));
        if (
            dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Required: true, Formula: null, Type.HasDay: true }) is { } when
        )
        {
            yield return new(
                "month",
                $"{dataset.Label} of this month, against the month before",
                Figure($"{dataset.Name}_this_month") with
                {
                    Period = Period.Month,
                    When = when.Name,
                    CompareWithPrevious = true,
                    Heading = "This month",
                }
            );
        }

        if (dataset.Fields.FirstOrDefault(field => field is { Hidden: false, Formula: null, Format: DisplayFormat.Money }) is { } money)
        {
            yield return new(
                "sum",
                $"{dataset.LabelOf(money.Name)} in all",
                Figure(money.Name.Value) with
                {
                    Measure = Total.Sum,
                    Field = money.Name,
                }
            );
        }
    }

    private static IEnumerable<PanelProposal> Forms(Page page, Dataset dataset)
    {
        if (dataset.ReadOnlyBecause is null)
        {
            yield return new(
                "form",
                $"A form for a new {dataset.RecordLabel}",
                FormPanel.Kind.Make(Named(page, $"new_{dataset.RecordLabel}"), dataset)
            );
        }
    }

    private static string Named(Page page, string wish) => PanelNaming.Fresh(page, wish);
}
