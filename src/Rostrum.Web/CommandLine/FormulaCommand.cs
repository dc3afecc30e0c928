using System.Text;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.CommandLine;

/// <summary><c>./rostrum formula</c>: a line in, a line out, and nothing else on standard output.</summary>
internal static class FormulaCommand
{
    public static async Task RunAsync(string[] args)
    {
        await using var output = new StreamWriter(Console.OpenStandardOutput(), new UTF8Encoding(encoderShouldEmitUTF8Identifier: false))
        {
            NewLine = "\n",
        };
        if (args.Contains("--reference", StringComparer.Ordinal))
        {
            await output.WriteAsync(FunctionReference.Write());
            return;
        }

        using var input = new StreamReader(Console.OpenStandardInput(), Encoding.UTF8);
        var context = new FormulaContext(TimeProvider.System.GetUtcNow(), TimeZoneInfo.Utc);
        while (await input.ReadLineAsync() is { } line)
        {
            await output.WriteLineAsync(FormulaLine.Answer(line, context));
        }
    }
}
