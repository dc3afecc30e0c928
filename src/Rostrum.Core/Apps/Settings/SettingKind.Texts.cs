using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

// Texts, formulas, numbers and switches.
public abstract partial record SettingKind
{
    /// <summary>A line of text. Where it can be computed, one that begins with <c>=</c> is a formula.</summary>
    /// <param name="Computed">The type that its formula gives; null where it is no formula.</param>
    /// <param name="OverRecord">It knows each record of the panel's dataset.</param>
    /// <param name="Knows">Other names that it knows.</param>
    public sealed record Line(FormulaType? Computed = null, bool OverRecord = false, FormulaShape? Knows = null) : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => Computed is not null;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Computed is not null && Apps.Computed.IsFormula(text)
                ?
                [
                    new FormulaPlace(text[1..])
                    {
                        Wanted = Computed,
                        OverRecord = OverRecord,
                        Knows = Knows,
                    },
                ]
                : [];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;
    }

    /// <summary>Several lines of text.</summary>
    public sealed record Lines : SettingKind;

    /// <summary>A program, as text.</summary>
    public sealed record Script : SettingKind;

    /// <summary>Times as cron has them.</summary>
    public sealed record CronTimes : SettingKind;

    /// <summary>One formula, without a sign before it; none where blank.</summary>
    /// <param name="Wanted">The type that it gives; any single value where null.</param>
    public sealed record Formula(FormulaType? Wanted) : SettingKind
    {
        /// <summary>It gives a list.</summary>
        public bool IsList { get; init; }

        /// <summary>It may give anything: a record or a list as well.</summary>
        public bool IsAnything { get; init; }

        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            string.IsNullOrWhiteSpace(text)
                ? []
                :
                [
                    new FormulaPlace(text)
                    {
                        Wanted = Wanted,
                        Anything = IsList || IsAnything,
                        AnyList = IsList,
                    },
                ];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? rewrite(place) : text;
    }

    /// <summary>Formulas, one a line.</summary>
    public sealed record Cases : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Read(text).Where(line => line.Length > 0).Select(line => new FormulaPlace(line));

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Write(Read(text).Select(line => line.Length > 0 ? rewrite(new FormulaPlace(line)) : line));

        /// <summary>The formulas.</summary>
        public static ImmutableArray<string> Read(string text)
        {
            ArgumentNullException.ThrowIfNull(text);
            return [.. text.ReplaceLineEndings("\n").Split('\n').Select(line => line.Trim())];
        }

        /// <summary>Formulas as text.</summary>
        public static string Write(IEnumerable<string> cases) => string.Join('\n', cases);
    }

    /// <summary>Names, each with a text or a formula after <c>=</c>: an object in JSON.</summary>
    public sealed record NamedTexts : SettingKind
    {
        private static readonly FieldTexts Texts = new(Computed: true);

        /// <inheritdoc/>
        public override bool Fits(string text) => Texts.Fits(text);

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Texts.Formulas(text).Select(place => place with { Anything = true });

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Texts.Rewritten(text, rewrite);
    }

    /// <summary>Lines across a chart, one on each line of text: a label, a colon, and a number or a formula after <c>=</c>.</summary>
    public sealed record ReferenceLines : SettingKind
    {
        /// <inheritdoc/>
        public override bool Fits(string text) => ReferenceLine.Read(text) is not null;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            from line in ReferenceLine.Read(text) ?? []
            where Apps.Computed.IsFormula(line.Value)
            select Place(line.Value[1..]);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            ReferenceLine.Write(
                (ReferenceLine.Read(text) ?? []).Select(line =>
                    Apps.Computed.IsFormula(line.Value) ? line with { Value = "=" + rewrite(Place(line.Value[1..])) } : line
                )
            );

        private static FormulaPlace Place(string formula) => new(formula) { Wanted = new FormulaType.Number() };
    }

    /// <summary>The roles that see a page, joined by commas.</summary>
    public sealed record Roles : SettingKind;

    /// <summary>What a page's address says to it, in JSON.</summary>
    public sealed record Parameters : SettingKind;

    /// <summary>A value of whatever type is wanted there, or a formula after <c>=</c>.</summary>
    public sealed record AnyValue : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Apps.Computed.IsFormula(text) ? [new FormulaPlace(text[1..]) { OrRecord = true }] : [];

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
            Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;
    }

    /// <summary>Markdown with <c>${formulas}</c> in it.</summary>
    public sealed record Prose : SettingKind
    {
        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) =>
            Core
                .Formulas.Template.Parse(text)
                .Parts.OfType<TemplatePart.Formula>()
                .Select(part => new FormulaPlace(part.Parsed.Text) { Unclosed = part.Start + 2 + part.Parsed.Text.Length >= text.Length });

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite)
        {
            foreach (var part in Core.Formulas.Template.Parse(text).Parts.OfType<TemplatePart.Formula>().Reverse())
            {
                text = string.Concat(
                    text.AsSpan(0, part.Start + 2),
                    rewrite(new FormulaPlace(part.Parsed.Text)),
                    text.AsSpan(part.Start + 2 + part.Parsed.Text.Length)
                );
            }

            return text;
        }
    }

    /// <summary>A line of text with <c>${formulas}</c> in it.</summary>
    public sealed record Template : SettingKind
    {
        private static readonly Prose Text = new();

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => Text.Formulas(text);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Text.Rewritten(text, rewrite);
    }

    /// <summary>A whole number.</summary>
    public sealed record Whole(int Least, int Most) : SettingKind
    {
        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Number();

        /// <inheritdoc/>
        public override bool Fits(string text) =>
            int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= Least && number <= Most;
    }

    /// <summary>Yes or no.</summary>
    public sealed record Toggle : SettingKind
    {
        /// <inheritdoc/>
        public override FormulaType Computes => new FormulaType.Boolean();

        /// <inheritdoc/>
        public override bool Fits(string text) => text is "yes" or "no";
    }

    /// <summary>Yes, no, or a formula after <c>=</c> that is true or false. Blank is yes.</summary>
    public sealed record ComputedToggle : SettingKind
    {
        /// <inheritdoc/>
        public override bool IsOneFormula => true;

        private static readonly Line Text = new(new FormulaType.Boolean());

        /// <inheritdoc/>
        public override bool Fits(string text) => text is "" or "yes" or "no" || Apps.Computed.IsFormula(text);

        /// <inheritdoc/>
        public override IEnumerable<FormulaPlace> Formulas(string text) => Text.Formulas(text);

        /// <inheritdoc/>
        public override string Rewritten(string text, Func<FormulaPlace, string> rewrite) => Text.Rewritten(text, rewrite);
    }
}
