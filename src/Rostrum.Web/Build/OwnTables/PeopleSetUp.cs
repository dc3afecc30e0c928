using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Sources.People;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Makes fields that hold a person refer to the people of the workspace.</summary>
internal sealed class PeopleSetUp(RostrumStore store, SourceSetUp sources)
{
    /// <summary>A dataset of which a field refers to people. The first such field connects them as a source.</summary>
    public async Task<Dataset> ReferringAsync(Dataset dataset, FieldName field, CancellationToken cancellation)
    {
        var catalogue = await store.DatasetsAsync(cancellation);
        if (dataset.RelationOf(field) is not null || await PeopleAsync(catalogue, cancellation) is not { } people)
        {
            return dataset;
        }

        var structure = (await store.Sources.AsNoTracking().FirstAsync(row => row.Id == dataset.Source.Value, cancellation)).Structure;
        var end = new RelationEnd(people, people[new FieldName(WorkspacePeople.Key)]);
        var here = new DatasetCatalogue([.. catalogue.All.Where(known => known.Id != dataset.Id), dataset]);
        return RelationMaking.Make(here, structure, dataset, dataset[field], end, dataset[field].Label, dataset.Label).Dataset ?? dataset;
    }

    private async Task<Dataset?> PeopleAsync(DatasetCatalogue catalogue, CancellationToken cancellation)
    {
        var known = await store.Sources.AsNoTracking().FirstOrDefaultAsync(row => row.Kind == WorkspacePeople.Kind, cancellation);
        if (known is null)
        {
            var settings = new SourceSettings("", 0, "", "", "", Encrypted: false) { Kind = WorkspacePeople.Kind };
            (known, _) = await sources.ConnectAsync("People", settings, cancellation);
            catalogue = await store.DatasetsAsync(cancellation);
        }

        return catalogue.All.FirstOrDefault(dataset => dataset.Source.Value == known?.Id && dataset is { Join: null, GoneBecause: null });
    }
}
