using System.Reflection;
using System.Text;

namespace Rostrum.Core.Formulas;

/// <summary>The reference of all functions, written from the catalogue.</summary>
public static class FunctionReference
{
    /// <summary>The reference as Markdown, in the order of the functions' names.</summary>
    public static string Write()
    {
        var functions = FunctionCatalogue.Functions.Values.Select(overloads =>
            (
                overloads[0].Name,
                Signatures: overloads.Select(overload => overload.Signature).Distinct(StringComparer.Ordinal),
                Does: Attribute(overloads[0]).Does,
                Examples: overloads.SelectMany(overload => Attribute(overload).Examples)
            )
        );
        var forms = Forms.All.Select(form =>
            (form.Name, Signatures: Enumerable.Repeat(form.Signature, 1), form.Does, Examples: form.Examples.AsEnumerable())
        );
        var text = new StringBuilder();
        foreach (var (_, signatures, does, examples) in functions.Concat(forms).OrderBy(function => function.Name, StringComparer.Ordinal))
        {
            text.Append("- ").AppendJoin(", ", signatures.Select(signature => $"`{signature}`")).Append(": ").Append(does);
            foreach (var example in examples)
            {
                text.Append(" `").Append(example).Append('`');
            }

            text.Append('\n');
        }

        return text.ToString();
    }

    private static FunctionAttribute Attribute(FunctionOverload overload) => overload.Method.GetCustomAttribute<FunctionAttribute>()!;
}
