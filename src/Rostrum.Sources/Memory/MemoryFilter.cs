using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>
/// Decides in memory which rows are wanted. Parts of a condition that the server can decide come with the row as columns.
/// </summary>
internal sealed class MemoryFilter
{
    private static readonly Field Flag = ComputedLeaf.FieldOf(new FieldName("flag"), new FormulaType.Boolean());

    private readonly ImmutableArray<Func<object?[], object?[], bool>> _conditions;

    public MemoryFilter(
        SelectPlan plan,
        SelectedColumns columns,
        MemoryPart memory,
        RequestFormulas formulas,
        ImmutableArray<Filter> conditions,
        string search
    )
    {
        Func<object?[], object?[], bool> Column(string sql)
        {
            var index = columns.Add(new Leaf($"({sql})", Flag, Nullable: true));
            return (row, _) => row[index] is true;
        }

        Func<object?[], object?[], bool> Of(Filter filter)
        {
            switch (filter)
            {
                case Filter.And every when plan.WhyNot(every) is not null:
                    var all = every.Parts.Select(Of).ToArray();
                    return (row, computed) => all.All(part => part(row, computed));
                case Filter.Or either when plan.WhyNot(either) is not null:
                    var any = either.Parts.Select(Of).ToArray();
                    return (row, computed) => any.Any(part => part(row, computed));
                case Filter.Not negation when plan.WhyNot(negation) is not null:
                    var negated = Of(negation.Part);
                    return (row, computed) => !negated(row, computed);
                case Filter.Holds holds when plan.WhyNot(holds) is not null:
                    var index = memory.Add(formulas[holds]);
                    return (_, computed) => computed[index] is true;
                default:
                    return Column(plan.Condition(filter));
            }
        }

        Func<object?[], object?[], bool> Found(string word)
        {
            var (sql, names) = plan.Search(word);
            var elsewhere = Column(sql);
            var texts = names.Select(name => memory.Add(formulas.Columns[name])).ToArray();
            return (row, computed) =>
                elsewhere(row, computed)
                || texts.Any(text => computed[text] is string found && found.Contains(word, StringComparison.OrdinalIgnoreCase));
        }

        _conditions = [.. conditions.Select(Of), .. SelectPlan.Words(search).Select(Found)];
    }

    public bool Keeps(object?[] columns, object?[] computed) => _conditions.All(condition => condition(columns, computed));
}
