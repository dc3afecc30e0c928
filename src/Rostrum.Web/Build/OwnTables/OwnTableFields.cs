using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Sources.Own;
using Rostrum.Store;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>A field of an own table, in a form.</summary>
/// <param name="Field">The field.</param>
/// <param name="Suffix">What follows the names of its inputs.</param>
/// <param name="Tables">The own tables to which a relation can lead.</param>
internal sealed record OwnTableFields(OwnField Field, string Suffix, ImmutableArray<(string Table, string Label)> Tables)
{
    // A table that links others has a key of both, to which no field leads.
    public static ImmutableArray<(string Table, string Label)> Targets(Workspace workspace)
    {
        var own = workspace.Sources.Values.FirstOrDefault(source => source.Kind == OwnTableStore.Kind);
        return own is null
            ? []
            :
            [
                .. workspace
                    .Datasets.All.Where(dataset =>
                        dataset.Source.Value == own.Id && dataset is { GoneBecause: null, Query: null, Join: null, Key.Length: 1 }
                    )
                    .Select(dataset => (dataset.Table.Name, dataset.Label)),
            ];
    }

    public static OwnField Read(IFormCollection form, string suffix, ImmutableArray<(string Table, string Label)> targets)
    {
        var type = Enum.TryParse<OwnType>(form["type" + suffix], out var known) ? known : OwnType.Text;
        var target = form["target" + suffix].ToString();
        return new OwnField(form["label" + suffix].ToString().Trim(), type)
        {
            Options = OwnKind.Of(type).HasOptions ? OptionsIn(form["options" + suffix].ToString()) : [],
            Target = type is OwnType.Relation && targets.Any(one => one.Table == target) ? target : null,
            Currency =
                form["currency" + suffix].ToString() is { Length: 3 } currency && currency.All(char.IsAsciiLetterUpper) ? currency : null,
            Minimum = form["minimum" + suffix].ToString().Trim(),
            Maximum = form["maximum" + suffix].ToString().Trim(),
            Default = form["default" + suffix].ToString().Trim(),
            Required = form["required" + suffix] == "yes",
            Unique = form["unique" + suffix] == "yes",
        };
    }

    // With commas between them, quoted where one has a comma in it.
    private static ImmutableArray<string> OptionsIn(string typed) =>
        FieldText.FromInput(new FieldType.List(new FieldType.Text()), typed, TimeZoneInfo.Utc) is Parsed.Value { Is: ListValue list }
            ? [.. list.Items.OfType<string>().Distinct(StringComparer.Ordinal)]
            : [];
}
