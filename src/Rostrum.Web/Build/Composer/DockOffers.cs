using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Web.Build.Data;

namespace Rostrum.Web.Build.Composer;

/// <summary>What the Dock's formula inputs offer while one types.</summary>
internal static class DockOffers
{
    public static string Json(ComposerModel page)
    {
        var offers = new List<FormulaOffer>();
        foreach (var (name, type) in page.Run.Scope.Names.Types)
        {
            offers.AddRange(
                FormulaCompletion
                    .Names(new FormulaShape("", [KeyValuePair.Create(name, type)]))
                    .Select(known => FormulaOffer.OfName(known.Name, known.Type, Now(page, name, known.Name, known.Type)))
            );
            foreach (var member in page.Run.Scope.MembersOf(name).Where(member => member.Type is FormulaType.Record))
            {
                offers.AddRange(
                    ((FormulaType.Record)member.Type).Shape.Members.Select(inner =>
                        FormulaOffer.OfName($"{Formatter.Name(name)}.{member.Name}.{Formatter.Name(inner.Key)}", inner.Value, null)
                    )
                );
            }
        }

        if (page.Selected?.Of is { } of && page.Catalogue.Find(of) is { } dataset)
        {
            offers.AddRange(
                FormulaCompletion
                    .Names(page.Run.Scope.Shapes.Of(dataset).Shape)
                    .Select(known => FormulaOffer.OfName(known.Name, known.Type, $"of each {dataset.RecordLabel}"))
            );
        }

        return JsonSerializer.Serialize(
            offers.DistinctBy(offer => offer.Label).Concat(FormulaCompletion.Functions),
            JsonSerializerOptions.Web
        );
    }

    private static string? Now(ComposerModel page, string panel, string name, FormulaType type) =>
        type is not (FormulaType.Record or FormulaType.List)
        && page.Run.Scope.MembersOf(panel).FirstOrDefault(member => $"{Formatter.Name(panel)}.{Formatter.Name(member.Name)}" == name)
            is { } known
            ? page.Run.Values[new PageValue(panel, known.Name)] is { } value
                ? $"at this moment: {page.Run.Format.Display(DatasetShapes.FieldTypeOf(type), value)}"
                : "blank at this moment"
            : null;
}
