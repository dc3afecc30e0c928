using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Sheet;

/// <summary>What a deletion would take with it, as it is said before.</summary>
/// <param name="Lines">Of each kind of related records how many there are, and what becomes of them.</param>
/// <param name="Because">Why the record cannot be deleted; null where it can.</param>
/// <param name="CanUndo">It can be undone.</param>
internal sealed record DeletionView(ImmutableArray<string> Lines, string? Because, bool CanUndo);

/// <summary>Says what goes with a record before it is deleted: counted in what the source holds, and tried without doing it.</summary>
[Handles("POST", "Deleting")]
internal sealed class DeletingHandler : FormHandler
{
    protected override async Task<IActionResult> AnswerAsync(
        AppPageModel page,
        Core.Apps.Panel asked,
        RecordFormView.Open open,
        CancellationToken cancellation
    )
    {
        if (open is not { IsNew: false, OnPage: null or { AllowDeleting: true } })
        {
            return page.NotFound();
        }

        var (catalogue, dataset) = (page.App.Datasets, open.Dataset);
        var key = RecordKey.Parse(dataset, open.KeyText!)!;
        var tried = await page.Run.Gate.SaveEachAsync(
            catalogue,
            new ChangeSet(dataset.Id, [new Change.Delete(key, FieldValues.None)]),
            ManyChanges.Tried,
            page.Run.Grants,
            cancellation
        );
        var because = tried switch
        {
            ManyResult.Done { Each: [var one] } => one.Because,
            ManyResult.Denied denied => denied.Reason,
            ManyResult.Failed failed => page.Run.Words(failed.Failure),
            _ => null,
        };
        var saved = (tried as ManyResult.Done)?.Each.FirstOrDefault()?.Saved;
        var lines = saved is { Inverse: not null } ? Along(page, saved) : await ReferringAsync(page, dataset, key, cancellation);
        return page.Partial("/Live/Sheet/_Deleting.cshtml", new DeletionView([.. lines], because, saved?.Inverse is not null));
    }

    // What was tried tells all that goes along, however far it reaches.
    private static IEnumerable<string> Along(AppPageModel page, SavedChange tried) =>
        from along in tried.Along
        group along by (
            along.Dataset,
            Emptied: along.Change.Applied is Change.Update update ? update.Values.Fields.First() : (FieldName?)null
        ) into same
        select same.Key.Emptied is { } field
            ? Emptied(page, same.Key.Dataset, same.Key.Dataset.LabelOf(field), same.Count())
            : $"{Counted(page, same.Key.Dataset, same.Count())} deleted with it.";

    private static async Task<IEnumerable<string>> ReferringAsync(
        AppPageModel page,
        Dataset dataset,
        RecordKey key,
        CancellationToken cancellation
    )
    {
        var lines = new List<string>();
        foreach (var other in page.App.Datasets.All)
        {
            foreach (
                var relation in other.Relations.Where(known =>
                    known.Target == dataset.Id && known.OnDelete is not (null or DeleteAction.Refuse)
                )
            )
            {
                if (await CountAsync(page, other, relation, dataset, key, cancellation) is var count and > 0)
                {
                    lines.Add(Line(page, other, relation, count));
                }
            }
        }

        return lines;
    }

    // Whoever deletes must know how much goes, whatever they see of it: it is a number and no more.
    private static async Task<long> CountAsync(
        AppPageModel page,
        Dataset other,
        Relation relation,
        Dataset dataset,
        RecordKey key,
        CancellationToken cancellation
    )
    {
        if (dataset.Key is not [var only] || only != relation.TargetField)
        {
            return 0;
        }

        var request = new ReadRequest(other.Id)
        {
            Filter = new Filter.OneOf(relation.Field, [key.Values[0]]),
            Window = new PageWindow.FromStart(0, 0),
            Counted = true,
        };
        return await page.Run.Gate.ReadAsync(page.App.Datasets, request, Grants.ViewEverything, cancellation) is ReadResult.Rows rows
            ? rows.Count?.Number ?? 0
            : 0;
    }

    private static string Line(AppPageModel page, Dataset other, Relation relation, long count) =>
        relation.OnDelete is DeleteAction.Delete
            ? $"{Counted(page, other, count)} deleted with it{(other.DeletionCascades ? ", and what belongs to them" : "")}."
            : Emptied(page, other, relation.Label, count);

    private static string Counted(AppPageModel page, Dataset other, long count) =>
        count == 1 ? $"1 {other.RecordLabel} is" : $"{count.ToString("#,##0", page.Run.Format.Culture)} {other.LabelInSentence} are";

    private static string Emptied(AppPageModel page, Dataset other, string label, long count)
    {
        var many = count.ToString("#,##0", page.Run.Format.Culture);
        var noun = count == 1 ? other.RecordLabel : other.LabelInSentence;
        return $"{many} {noun} will have no {label.ToLower(page.Run.Format.Culture)} any more.";
    }
}
