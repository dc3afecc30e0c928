using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>A table's rules, in words.</summary>
internal sealed class RulesModel(RostrumStore store, WorkspaceCache workspaces, RecordFormat format)
    : DatasetPage(store, workspaces, format)
{
    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, CancellationToken cancellation) =>
        await LoadAsync(id, table, cancellation) ? Page() : NotFound();

    /// <summary>A rule as a sentence; a formula's text where lists could not say it.</summary>
    public string InWords(Rule rule) =>
        rule switch
        {
            Rule.Unique unique => $"Unique: {string.Join(" and ", unique.Fields.Select(name => LabelOf([name.Value])))}.",
            Rule.Holds { When: { } when } holds => $"Where {Words(when)}: {Words(holds.Must)}.",
            Rule.Holds holds => $"{Capital(Words(holds.Must))}.",
            _ => "",
        };

    private string Words(string formula) =>
        ConditionFormula.Read(formula) is { } condition ? ConditionWords.Of(condition, LabelOf, Format) : formula;

    private static string Capital(string words) => char.ToUpperInvariant(words[0]) + words[1..];
}
