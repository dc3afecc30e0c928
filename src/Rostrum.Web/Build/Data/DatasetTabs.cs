using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Sources.Own;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>The parts of a dataset, each a page of its own.</summary>
/// <param name="Source">Its source.</param>
/// <param name="Dataset">The dataset.</param>
/// <param name="Problems">What is wrong with it.</param>
/// <param name="Place">The part that is open: the end of its address.</param>
internal sealed record DatasetTabs(StoredSource Source, Dataset Dataset, ImmutableArray<DatasetProblem> Problems, string Place)
{
    public string Root => $"/build/sources/{Source.Id:N}";

    public string Here => $"{Root}/{Dataset.Id}";

    public bool IsOwn => Source.Kind == OwnTableStore.Kind;

    public bool HasRequests => SourceKind.Find(Source.Kind)?.HasRequests == true;

    public int Wrong(params DatasetPart[] parts) => Problems.Count(problem => parts.Contains(problem.Part));
}
