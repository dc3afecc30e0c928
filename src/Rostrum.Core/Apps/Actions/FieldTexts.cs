using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Texts for fields: values as they are typed, or formulas after <c>=</c>.</summary>
internal static class FieldTexts
{
    /// <summary>The values of fields, or what is wrong with one of them.</summary>
    public static (FieldValues Values, string? Problem) Read(IStepScope scope, Dataset dataset, ImmutableDictionary<string, string> texts)
    {
        var values = FieldValues.None;
        foreach (var (name, text) in texts)
        {
            var field = new FieldName(name);
            switch (scope.FieldValue(dataset, field, text))
            {
                case Parsed.Value value:
                    values = values.With(field, value.Is);
                    break;
                case Parsed.Problem problem:
                    return (values, $"{(dataset.Find(field) is null ? name : dataset.LabelOf(field))}: {problem.Message}");
            }
        }

        return (values, null);
    }
}
