using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What makes the records of a table stand out: each condition is a column of its request.</summary>
internal sealed class TableHighlights
{
    private readonly RecordFormulas _formulas;
    private readonly ImmutableArray<(Highlight Tone, RecordValue When)> _tones;

    public TableHighlights(PageRun run, TablePanel panel)
    {
        _formulas = new RecordFormulas(run, panel, "tone");
        _tones =
        [
            .. panel.Highlights.Select(tone =>
                (tone, _formulas.Formula(new FormulaPlace(tone.When) { OverRecord = true, Wanted = new FormulaType.Boolean() }))
            ),
        ];
    }

    public ImmutableArray<ComputedColumn> Columns => _formulas.Columns;

    /// <summary>What stands out of a record: all of it where no field is given. The first that holds counts.</summary>
    public Highlight? For(Record record, FieldName? field)
    {
        foreach (var (tone, when) in _tones)
        {
            if (tone.Field == field && when.Holds(record))
            {
                return tone;
            }
        }

        return null;
    }
}
