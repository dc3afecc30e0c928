using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>Counts, groups and totals over records.</summary>
public sealed partial class RecordGate
{
    /// <summary>Counts records by the values of a field.</summary>
    public async Task<GroupResult> GroupAsync(
        DatasetCatalogue catalogue,
        GroupRequest request,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(request);
        var summary = new SummaryRequest(request.Dataset, [request.Field], [null], request.Filter)
        {
            Search = request.Search,
            Computed = request.Computed,
            Names = request.Names,
            Limit = request.Limit,
        };
        return await SummariseAsync(catalogue, summary, grants, cancellation) switch
        {
            SummaryResult.Groups groups => new GroupResult.Groups([
                .. groups.Found.Select(group => new ValueCount(group.Values[0], group.Titles[0], (long)group.Numbers[0]!.Value)),
            ]),
            SummaryResult.Invalid invalid => new GroupResult.Invalid(invalid.Problem),
            SummaryResult.Denied denied => new GroupResult.Denied(denied.Reason),
            SummaryResult.Failed failed => new GroupResult.Failed(failed.Failure),
            _ => throw new InvalidOperationException("unknown result"),
        };
    }

    /// <summary>Records in groups, with what is computed over each.</summary>
    public async Task<SummaryResult> SummariseAsync(
        DatasetCatalogue catalogue,
        SummaryRequest request,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(request);

        // To be grouped by a field, or measured over few records, says as much of it as to be sorted by it.
        var measured = request.Measures.OfType<FieldTotal>();
        var read = new ReadRequest(request.Dataset)
        {
            Computed = request.Computed,
            Filter = request.Filter,
            Search = request.Search,
            Sort = [.. request.By.Concat(measured.Select(total => total.Field)).Distinct().Select(field => new SortBy(field))],
            Names = request.Names,
            Now = request.Now,
        };
        var (allowed, formulas, refusal) = Allow(catalogue, read, grants);
        if (allowed is null)
        {
            return refusal is ReadResult.Denied denied
                ? new SummaryResult.Denied(denied.Reason)
                : new SummaryResult.Invalid(((ReadResult.Invalid)refusal!).Problem);
        }

        var dataset = catalogue.Find(request.Dataset)!;
        return NotNumeric(dataset, formulas!, measured) is { } problem
            ? new SummaryResult.Invalid(problem)
            : await FromSourceAsync<SummaryResult>(
                new Reading(catalogue, dataset, allowed, grants, formulas!, IsPage: false),
                (reads, look, token) => reads.SummariseAsync(look.Statements, dataset, look.Request, request, token),
                failure => new SummaryResult.Failed(failure),
                cancellation
            );
    }

    private static string? NotNumeric(Dataset dataset, RequestFormulas formulas, IEnumerable<FieldTotal> totals)
    {
        bool IsNumeric(FieldName name) =>
            dataset.Find(name) is { } field ? field.Type.IsNumeric : formulas.Columns[name].Type is FormulaType.Number;
        return
            totals.FirstOrDefault(total => total.Total is not Total.Distinct && !IsNumeric(total.Field))
                is { Field: { Value: not null } wrong }
            ? $"“{(dataset.Find(wrong) is null ? wrong.Value : dataset.LabelOf(wrong))}” holds no numbers."
            : null;
    }

    /// <summary>Totals over fields' values, all over the same records.</summary>
    public async Task<TotalResult> TotalAsync(
        DatasetCatalogue catalogue,
        TotalRequest request,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(request);

        // A total over few records tells their values, so it is for whoever may sort by them.
        var read = new ReadRequest(request.Dataset)
        {
            Computed = request.Computed,
            Filter = request.Filter,
            Search = request.Search,
            Sort = [.. request.Totals.Select(total => new SortBy(total.Field))],
            Names = request.Names,
            Now = request.Now,
        };
        var (allowed, formulas, refusal) = Allow(catalogue, read, grants);
        if (allowed is null)
        {
            return refusal is ReadResult.Denied denied
                ? new TotalResult.Denied(denied.Reason)
                : new TotalResult.Invalid(((ReadResult.Invalid)refusal!).Problem);
        }

        var dataset = catalogue.Find(request.Dataset)!;
        return NotNumeric(dataset, formulas!, request.Totals) is { } problem
            ? new TotalResult.Invalid(problem)
            : await FromSourceAsync<TotalResult>(
                new Reading(catalogue, dataset, allowed, grants, formulas!, IsPage: false),
                (reads, look, token) => reads.TotalsAsync(look.Statements, dataset, look.Request, request.Totals, token),
                failure => new TotalResult.Failed(failure),
                cancellation
            );
    }
}
