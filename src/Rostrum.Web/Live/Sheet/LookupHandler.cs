using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Related records whose title or texts match what was typed into a form.</summary>
[Handles("GET", "Lookup")]
internal sealed class LookupHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        page.Asked is { Of: { } of }
        && page.App.Datasets.Find(of)?.RelationOf(new FieldName(page.Value("field"))) is { } relation
        && page.App.Datasets.Find(relation.Target) is { } target
            ? await RecordChoices.ReadAsync(page, target, relation.TargetField, new Filter.Everything(), cancellation)
            : page.NotFound();
}
