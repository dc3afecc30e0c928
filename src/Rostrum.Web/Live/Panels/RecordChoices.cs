using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels;

/// <summary>
/// Records to choose from while somebody types: each with what stands for it and its title. The whole title stands before those that begin
/// so, these before those in which a word begins so, and these before the others.
/// </summary>
internal static class RecordChoices
{
    private const int Most = 30;
    private const int LongestTyped = 200;
    private static readonly FieldName Rank = new("rank_of_choice");

    public static async Task<IActionResult> ReadAsync(
        AppPageModel page,
        Dataset target,
        FieldName value,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var readable = page.Run.Grants.For(target.Id).Readable;
        var asked = page.Value("q").Trim();
        var typed = asked[..Math.Min(asked.Length, LongestTyped)];
        var named = Named(target, readable.Has);
        var second = Second(target, readable.Has);
        var request = new ReadRequest(target.Id)
        {
            Fields = [value, .. second is null ? [] : new[] { second.Name }],
            Filter = filter,
            Sort = target.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)] : [],
            Window = new PageWindow.FromStart(0, Most),
            Names = page.Run.Names,
        };
        request =
            typed.Length == 0 ? request
            : named.IsEmpty ? request with { Search = typed }
            : request with
            {
                Filter = Filter.Both(filter, With(named, typed)),
                Computed = [new ComputedColumn(Rank, RankOf(named, typed))],
                Sort = [new SortBy(Rank), .. request.Sort],
            };
        var read = await page.Run.Gate.ReadAsync(page.App.Datasets, request, page.Run.Grants, cancellation);
        if (read is not ReadResult.Rows rows)
        {
            return page.StatusCode(read is ReadResult.Denied ? StatusCodes.Status403Forbidden : StatusCodes.Status503ServiceUnavailable);
        }

        var alike = rows.Records.GroupBy(record => record.Title).Where(same => same.Skip(1).Any()).Select(same => same.Key).ToHashSet();
        return new JsonResult(
            rows.Records.Where(record => record[value] is not null)
                .Select(record => new
                {
                    value = FieldText.ToInput(target[value].Type, record[value], page.Run.Format.Zone),
                    text = alike.Contains(record.Title)
                    && second is not null
                    && page.Run.Format.Display(second, record[second.Name]) is { Length: > 0 } which
                        ? $"{record.Title} · {which}"
                        : record.Title,
                })
        );
    }

    // The texts that name a record: those of its own title, and those that are its key.
    private static ImmutableArray<Field> Named(Dataset target, Func<FieldName, bool> readable) =>
        [
            .. target
                .Title.Where(part => part.Relations.IsEmpty)
                .Select(part => part.Field)
                .Concat(target.Key)
                .Distinct()
                .Where(readable)
                .Select(name => target[name])
                .Where(field => field.Type.IsTextual && field.Formula is null),
        ];

    // What tells records with the same title apart.
    private static Field? Second(Dataset target, Func<FieldName, bool> readable) =>
        target.Fields.FirstOrDefault(field =>
            !field.Hidden
            && readable(field.Name)
            && field.Type is { IsSortable: true, IsLong: false }
            && target.RelationOf(field.Name) is null
            && target.Title.All(part => part.Field != field.Name)
        );

    /// <summary>
    /// The values under which others refer to records whose title or key fits what was typed; null where the records cannot be read.
    /// </summary>
    public static async Task<ImmutableArray<object>?> FittingAsync(
        PageRun run,
        Dataset target,
        FieldName value,
        string typed,
        CancellationToken cancellation
    )
    {
        var named = Named(target, run.Grants.For(target.Id).Readable.Has);
        var request = new ReadRequest(target.Id) { Fields = [value], Window = new PageWindow.FromStart(0, Most) };
        request = named.IsEmpty ? request with { Search = typed } : request with { Filter = With(named, typed) };
        return await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) is ReadResult.Rows rows
            ? [.. rows.Records.Select(record => record[value]).OfType<object>()]
            : null;
    }

    private static Filter.And With(ImmutableArray<Field> named, string typed) =>
        new([
            .. typed
                .Split(' ', StringSplitOptions.RemoveEmptyEntries)
                .Select(word => new Filter.Or([.. named.Select(field => new Filter.Contains(field.Name, word))])),
        ]);

    private static string RankOf(ImmutableArray<Field> named, string typed)
    {
        var text = Formatter.Format(new Syntax.Text(default, typed.ToLowerInvariant()));
        var within = Formatter.Format(new Syntax.Text(default, " " + typed.ToLowerInvariant()));
        string Any(Func<string, string> test)
        {
            var tests = named.Select(field => test($"LOWER({Formatter.Name(field.Name.Value)})")).ToArray();
            return tests.Length == 1 ? tests[0] : $"OR({string.Join(", ", tests)})";
        }

        return $"IF({Any(name => $"{name} = {text}")}, 0, IF({Any(name => $"STARTSWITH({name}, {text})")}, 1, "
            + $"IF({Any(name => $"CONTAINS(\" \" & {name}, {within})")}, 2, 3)))";
    }
}
