using System.Collections.Immutable;
using System.Linq.Expressions;
using System.Reflection;
using System.Runtime.CompilerServices;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Turns a checked formula into a delegate over records. Evaluating it throws only where the request's <see cref="FormulaBudget"/> is
/// spent.
/// </summary>
public static class Compiler
{
    private static readonly PropertyInfo Indexer = typeof(FormulaRecord).GetProperty("Item")!;
    private static readonly MethodInfo ValueGiven = typeof(Compiler).GetMethod(
        nameof(GivenValue),
        BindingFlags.NonPublic | BindingFlags.Static
    )!;
    private static readonly ConstantExpression True = Expression.Constant(true, typeof(bool?));
    private static readonly ConstantExpression EmptyList = Expression.Constant(Array.Empty<object?>(), typeof(IReadOnlyList<object?>));

    private static readonly ConditionalWeakTable<Typed, Func<FormulaRecord, FormulaContext, object?>> Kept = [];

    /// <param name="tree">The formula.</param>
    /// <param name="once">It will be evaluated once or twice a request only, so that making it should be quick rather than running it. It
    /// is kept for as long as the tree is.</param>
    /// <returns>The delegate: a record of the shape that the formula was checked with, and the request's context, to a value or
    /// null.</returns>
    public static Func<FormulaRecord, FormulaContext, object?> Compile(Typed tree, bool once = false)
    {
        ArgumentNullException.ThrowIfNull(tree);
        return once ? Kept.GetValue(tree, static known => Make(known, once: true)) : Make(tree, once: false);
    }

    private static Func<FormulaRecord, FormulaContext, object?> Make(Typed tree, bool once)
    {
        var record = Expression.Parameter(typeof(FormulaRecord), "record");
        var context = Expression.Parameter(typeof(FormulaContext), "context");
        var body = new Building(context, [record]).Build(tree);
        return Expression
            .Lambda<Func<FormulaRecord, FormulaContext, object?>>(Expression.Convert(body, typeof(object)), record, context)
            .Compile(preferInterpretation: once);
    }

    private static object? GivenValue(FormulaContext context, string name) => context.Given.GetValueOrDefault(name);

    // The record of each level of names, the innermost last.
    private sealed record Building(ParameterExpression Context, ImmutableList<ParameterExpression> Records)
    {
        public Expression Build(Typed node) =>
            node switch
            {
                Typed.Constant constant => Expression.Constant(constant.Value, constant.Type.Carrier),
                Typed.Given given => Expression.Convert(
                    Expression.Call(ValueGiven, Context, Expression.Constant(given.Name)),
                    given.Type.Carrier
                ),
                Typed.Scope scope => Records[^(scope.Level + 1)],
                Typed.Member member => Member(member),
                Typed.Each each => Expression.Call(
                    typeof(Lists),
                    nameof(Lists.Each),
                    null,
                    List(each.List),
                    Expression.Constant(each.Index)
                ),
                Typed.Same same => AsNullable(Negated(Equality(same.Left, same.Right), same.Negated)),
                Typed.Ordered ordered => AsNullable(Order(ordered)),
                Typed.Invocation invocation => Invocation(invocation),
                Typed.Cases cases => Cases(cases.Type, cases.Branches.AsSpan()),
                Typed.Conditions conditions => AsNullable(
                    conditions.All.Select(Holds).Aggregate(conditions.Any ? Expression.OrElse : Expression.AndAlso)
                ),
                Typed.Otherwise otherwise => Expression.Coalesce(
                    To(Build(otherwise.Value), otherwise.Type.Carrier),
                    To(Build(otherwise.Other), otherwise.Type.Carrier)
                ),
                Typed.Walk walk => Walk(walk),
                _ => throw new ArgumentOutOfRangeException(nameof(node), node, "unknown node"),
            };

        private Expression Member(Typed.Member member)
        {
            var of = Build(member.Of);
            var value = Expression.Convert(Expression.MakeIndex(of, Indexer, [Expression.Constant(member.Index)]), member.Type.Carrier);
            return member.Of is Typed.Scope
                ? value
                : Expression.Condition(
                    Expression.Equal(of, Expression.Constant(null, of.Type)),
                    Expression.Default(member.Type.Carrier),
                    value
                );
        }

        private BinaryExpression Holds(Typed condition) => Expression.Equal(To(Build(condition), typeof(bool?)), True);

        private Expression Equality(Typed left, Typed right)
        {
            var carrier = FormulaType.Common(left.Type, right.Type)!.Carrier;
            var (one, other) = (To(Build(left), carrier), To(Build(right), carrier));
            return carrier.IsValueType && carrier != typeof(System.Text.Json.JsonElement?) || carrier == typeof(string)
                ? Expression.Equal(one, other)
                : Expression.Call(
                    typeof(object),
                    nameof(Equals),
                    null,
                    Expression.Convert(one, typeof(object)),
                    Expression.Convert(other, typeof(object))
                );
        }

        private Expression Order(Typed.Ordered ordered)
        {
            var carrier = FormulaType.Common(ordered.Left.Type, ordered.Right.Type)!.Carrier;
            var (left, right) = (To(Build(ordered.Left), carrier), To(Build(ordered.Right), carrier));
            if (carrier == typeof(string))
            {
                return Expression.Call(typeof(Texts), nameof(Texts.InOrder), null, left, right, Expression.Constant(ordered.Operator));
            }

            return ordered.Operator switch
            {
                Operator.Less => Expression.LessThan(left, right),
                Operator.AtMost => Expression.LessThanOrEqual(left, right),
                Operator.More => Expression.GreaterThan(left, right),
                _ => Expression.GreaterThanOrEqual(left, right),
            };
        }

        private Expression Cases(FormulaType type, ReadOnlySpan<(Typed? Condition, Typed Value)> branches)
        {
            var value = To(Build(branches[0].Value), type.Carrier);
            return branches[0].Condition is { } condition
                ? Expression.Condition(Holds(condition), value, Cases(type, branches[1..]))
                : value;
        }

        // A blank for a parameter that takes none makes the whole blank, and the function is not called.
        private BlockExpression Invocation(Typed.Invocation invocation)
        {
            var function = invocation.Function;
            var carrier = invocation.Type.Carrier;
            var variables = new List<ParameterExpression>();
            var steps = new List<Expression>();
            var passed = new List<Expression>();
            Expression? complete = null;
            var parameters = function.Method.GetParameters().AsSpan(function.TakesContext ? 1 : 0);
            for (var i = 0; i < function.Parameters.Length; i++)
            {
                var parameter = function.Parameters[i];
                var wanted = parameters[i].ParameterType;
                if (parameter.IsRepeated)
                {
                    var element = wanted.GetElementType()!;
                    passed.Add(
                        Expression.NewArrayInit(element, invocation.Arguments.Skip(i).Select(argument => To(Build(argument), element)))
                    );
                }
                else if (i >= invocation.Arguments.Length)
                {
                    passed.Add(Expression.Constant(parameter.Default, wanted));
                }
                else if (wanted == typeof(IReadOnlyList<object?>))
                {
                    passed.Add(List(invocation.Arguments[i]));
                }
                else if (parameter.TakesBlank)
                {
                    passed.Add(To(Build(invocation.Arguments[i]), wanted));
                }
                else
                {
                    var nullable = wanted.IsValueType ? typeof(Nullable<>).MakeGenericType(wanted) : wanted;
                    var variable = Expression.Variable(nullable);
                    variables.Add(variable);
                    steps.Add(Expression.Assign(variable, To(Build(invocation.Arguments[i]), nullable)));
                    var given = wanted.IsValueType
                        ? (Expression)Expression.Property(variable, "HasValue")
                        : Expression.NotEqual(variable, Expression.Constant(null, nullable));
                    complete = complete is null ? given : Expression.AndAlso(complete, given);
                    passed.Add(wanted.IsValueType ? Expression.Property(variable, "Value") : variable);
                }
            }

            if (function.TakesContext)
            {
                passed.Insert(0, Context);
            }

            Expression call = To(Expression.Call(function.Method, passed), carrier);
            call = carrier == typeof(string) ? Spent(call) : call;
            steps.Add(complete is null ? call : Expression.Condition(complete, call, Expression.Default(carrier)));
            return Expression.Block(carrier, variables, steps);
        }

        private MethodCallExpression Walk(Typed.Walk walk)
        {
            var element = Expression.Parameter(typeof(FormulaRecord), "element");
            var inner = this with { Records = Records.Add(element) };
            if (walk.Kind is ListWalk.Map)
            {
                var value = Expression.Lambda<Func<FormulaRecord, object?>>(
                    Expression.Convert(inner.Build(walk.Body), typeof(object)),
                    element
                );
                return Expression.Call(typeof(Lists), nameof(Lists.Map), null, List(walk.List), value);
            }

            if (walk.Kind is ListWalk.Sort)
            {
                var key = Expression.Lambda<Func<FormulaRecord, object?>>(
                    Expression.Convert(inner.Build(walk.Body), typeof(object)),
                    element
                );
                return Expression.Call(typeof(Lists), nameof(Lists.Sort), null, List(walk.List), key, Expression.Constant(walk.Descending));
            }

            var condition = Expression.Lambda<Func<FormulaRecord, bool>>(inner.Holds(walk.Body), element);
            return Expression.Call(typeof(Lists), walk.Kind.ToString(), null, List(walk.List), condition);
        }

        private MethodCallExpression List(Typed list) =>
            Spent(Expression.Coalesce(To(Build(list), typeof(IReadOnlyList<object?>)), EmptyList));

        private MethodCallExpression Spent(Expression value) =>
            Expression.Call(typeof(FormulaBudget), nameof(FormulaBudget.Spent), null, value, Context);
    }

    private static UnaryExpression AsNullable(Expression condition) => Expression.Convert(condition, typeof(bool?));

    private static Expression Negated(Expression condition, bool negated) => negated ? Expression.Not(condition) : condition;

    // A blank of no type becomes one of the type that is wanted.
    private static Expression To(Expression value, Type carrier) =>
        value.Type == carrier ? value
        : value is ConstantExpression { Value: null } ? Expression.Default(carrier)
        : Expression.Convert(value, carrier);
}

/// <summary>What compiled formulas do with lists.</summary>
internal static class Lists
{
    public static IReadOnlyList<object?> Each(IReadOnlyList<object?> list, int index)
    {
        var values = new List<object?>(list.Count);
        foreach (var record in list.OfType<FormulaRecord>())
        {
            if (record[index] is IReadOnlyList<object?> inner)
            {
                values.AddRange(inner);
            }
            else
            {
                values.Add(record[index]);
            }
        }

        return values;
    }

    public static IReadOnlyList<object?> Map(IReadOnlyList<object?> list, Func<FormulaRecord, object?> value) =>
        [.. list.OfType<FormulaRecord>().Select(value)];

    public static IReadOnlyList<object?> Filter(IReadOnlyList<object?> list, Func<FormulaRecord, bool> condition) =>
        [.. list.OfType<FormulaRecord>().Where(condition)];

    public static bool? All(IReadOnlyList<object?> list, Func<FormulaRecord, bool> condition) =>
        list.OfType<FormulaRecord>().All(condition);

    public static bool? Any(IReadOnlyList<object?> list, Func<FormulaRecord, bool> condition) =>
        list.OfType<FormulaRecord>().Any(condition);

    public static IReadOnlyList<object?> Sort(IReadOnlyList<object?> list, Func<FormulaRecord, object?> key, bool descending)
    {
        var keyed = list.OfType<FormulaRecord>().Select(record => (Record: record, Key: key(record))).OrderBy(pair => pair.Key is null);
        var order = Comparer<object?>.Create(Texts.Compare);
        return
        [
            .. (descending ? keyed.ThenByDescending(pair => pair.Key, order) : keyed.ThenBy(pair => pair.Key, order)).Select(pair =>
                pair.Record
            ),
        ];
    }
}

/// <summary>The order of texts, by code points.</summary>
public static class Texts
{
    internal static bool InOrder(string? left, string? right, Operator sign)
    {
        if (left is null || right is null)
        {
            return false;
        }

        var order = ByCodePoint(left, right);
        return sign switch
        {
            Operator.Less => order < 0,
            Operator.AtMost => order <= 0,
            Operator.More => order > 0,
            _ => order >= 0,
        };
    }

    /// <summary>The order of two values of one type; texts by their code points.</summary>
    public static int Compare(object? one, object? other) =>
        one is string left && other is string right ? ByCodePoint(left, right) : Comparer<object?>.Default.Compare(one, other);

    // UTF-16 puts characters past U+FFFF before those from U+E000 on; code points do not.
    private static int ByCodePoint(string left, string right)
    {
        for (var i = 0; i < Math.Min(left.Length, right.Length); i++)
        {
            if (left[i] != right[i])
            {
                var (one, other) = (char.IsSurrogate(left[i]), char.IsSurrogate(right[i]));
                return one == other ? left[i].CompareTo(right[i])
                    : one ? 1
                    : -1;
            }
        }

        return left.Length.CompareTo(right.Length);
    }
}
