using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Globalization;
using System.Reflection;
using System.Text.Json;

namespace Rostrum.Core.Formulas;

/// <summary>Makes a static method a function of the formula language, under the method's name in capitals.</summary>
/// <remarks>
/// A parameter that cannot be null makes the function blank where its argument is blank; one that can gets the blank.
/// A <see cref="FormulaContext"/> as the first parameter is supplied by the evaluation.
/// </remarks>
[AttributeUsage(AttributeTargets.Method)]
public sealed class FunctionAttribute(string does) : Attribute
{
    /// <summary>What it does, in a sentence for people.</summary>
    public string Does { get; } = does;

    /// <summary>The name in formulas, where it is not the method's.</summary>
    public string? Name { get; init; }

    /// <summary>Formulas with their values, as <c>ROUND(2.5) → 3</c>. They are run as tests.</summary>
    public string[] Examples { get; init; } = [];
}

/// <summary>Says of a list parameter what its elements are. Without it they may be anything.</summary>
[AttributeUsage(AttributeTargets.Parameter)]
public sealed class OfAttribute(Type carrier) : Attribute
{
    /// <summary>The .NET type of an element.</summary>
    public Type Carrier { get; } = carrier;
}

/// <summary>Says that a function's value is of the type of the first argument's elements, or is a list of them.</summary>
[AttributeUsage(AttributeTargets.ReturnValue)]
public sealed class ElementAttribute : Attribute;

/// <summary>One way to call a function.</summary>
/// <param name="Name">The function's name, in capitals.</param>
/// <param name="Method">What computes it.</param>
/// <param name="Parameters">What is written between its brackets.</param>
/// <param name="TakesContext">The method's first parameter is the evaluation's context.</param>
/// <param name="Result">The value's type; null where it is that of the list's elements.</param>
public sealed record FunctionOverload(
    string Name,
    MethodInfo Method,
    ImmutableArray<FunctionParameter> Parameters,
    bool TakesContext,
    FormulaType? Result
)
{
    /// <summary>How exact its value is.</summary>
    public ExactnessRule Exactness { get; } = Method.GetCustomAttribute<ExactnessAttribute>()?.Rule ?? ExactnessRule.Exact;

    /// <summary>How databases compute it; null where none does.</summary>
    public SqlAttribute? Sql { get; } = Method.GetCustomAttribute<SqlAttribute>();

    /// <summary>The last parameter may be repeated.</summary>
    public bool IsVariadic => Parameters is [.., { IsRepeated: true }];

    /// <summary>The fewest arguments.</summary>
    public int Fewest => Parameters.Count(parameter => !parameter.IsOptional && !parameter.IsRepeated) + (IsVariadic ? 1 : 0);

    /// <summary>How it is written: <c>ROUND(number, digits = 0)</c>.</summary>
    public string Signature => $"{Name}({string.Join(", ", Parameters.Select(parameter => parameter.Text))})";

    /// <summary>The parameter for the argument at a place; null past the last.</summary>
    public FunctionParameter? ParameterAt(int index) =>
        index < Parameters.Length ? Parameters[index]
        : IsVariadic ? Parameters[^1]
        : null;
}

/// <summary>A parameter of a function.</summary>
/// <param name="Name">What people read.</param>
/// <param name="Type">What may stand there; null where anything may.</param>
/// <param name="TakesBlank">The function looks at a blank itself.</param>
/// <param name="IsOptional">It may be left out.</param>
/// <param name="Default">What then stands for it.</param>
/// <param name="IsRepeated">It may be repeated.</param>
public sealed record FunctionParameter(string Name, FormulaType? Type, bool TakesBlank, bool IsOptional, object? Default, bool IsRepeated)
{
    /// <summary>How it stands in a signature.</summary>
    public string Text =>
        IsRepeated ? $"{Name}, …"
        : IsOptional ? $"{Name} = {DefaultText}"
        : Name;

    private string? DefaultText =>
        Default switch
        {
            null => "BLANK",
            bool yes => yes ? "TRUE" : "FALSE",
            string text => $"\"{text}\"",
            var value => Convert.ToString(value, CultureInfo.InvariantCulture),
        };
}

/// <summary>All functions, found by being there.</summary>
public static class FunctionCatalogue
{
    /// <summary>The overloads of each function, by name. Names are matched without regard to case.</summary>
    public static FrozenDictionary<string, ImmutableArray<FunctionOverload>> Functions { get; } =
        typeof(FunctionCatalogue)
            .Assembly.GetTypes()
            .Where(type => type.Namespace == typeof(Functions.NumberFunctions).Namespace)
            .SelectMany(type => type.GetMethods(BindingFlags.Public | BindingFlags.NonPublic | BindingFlags.Static))
            .Where(method => method.GetCustomAttribute<FunctionAttribute>() is not null)
            .Select(Overload)
            .GroupBy(overload => overload.Name, StringComparer.OrdinalIgnoreCase)
            .ToFrozenDictionary(group => group.Key, group => group.ToImmutableArray(), StringComparer.OrdinalIgnoreCase);

    /// <summary>The overload that a method makes.</summary>
    internal static FunctionOverload Overload(MethodInfo method)
    {
        var parameters = method.GetParameters();
        var takesContext = parameters is [{ ParameterType: var first }, ..] && first == typeof(FormulaContext);
        var element = method.ReturnParameter.GetCustomAttribute<ElementAttribute>() is not null;
        return new FunctionOverload(
            method.GetCustomAttribute<FunctionAttribute>()?.Name ?? method.Name.ToUpperInvariant(),
            method,
            [.. parameters.Skip(takesContext ? 1 : 0).Select(Parameter)],
            takesContext,
            element
                ? null
                : TypeOf(method.ReturnType) ?? throw new InvalidOperationException($"{method.Name} gives what no formula can carry.")
        );
    }

    private static FunctionParameter Parameter(ParameterInfo parameter)
    {
        var repeated = parameter.GetCustomAttribute<ParamArrayAttribute>() is not null;
        var carrier = repeated ? parameter.ParameterType.GetElementType()! : parameter.ParameterType;
        var nullability = new NullabilityInfoContext().Create(parameter);
        var takesBlank =
            repeated
            || Nullable.GetUnderlyingType(carrier) is not null
            || (!carrier.IsValueType && nullability.ReadState is NullabilityState.Nullable);
        var type =
            carrier == typeof(IReadOnlyList<object?>) && parameter.GetCustomAttribute<OfAttribute>() is { } of
                ? new FormulaType.List(TypeOf(of.Carrier)!)
                : TypeOf(carrier);
        return new FunctionParameter(
            parameter.Name!,
            type,
            takesBlank,
            parameter.HasDefaultValue,
            parameter.HasDefaultValue ? parameter.DefaultValue : null,
            repeated
        );
    }

    private static FormulaType? TypeOf(Type carrier) =>
        (Nullable.GetUnderlyingType(carrier) ?? carrier) switch
        {
            var type when type == typeof(string) => new FormulaType.Text(),
            var type when type == typeof(decimal) => new FormulaType.Number(),
            var type when type == typeof(bool) => new FormulaType.Boolean(),
            var type when type == typeof(DateOnly) => new FormulaType.Date(),
            var type when type == typeof(TimeOnly) => new FormulaType.Time(),
            var type when type == typeof(DateTimeOffset) => new FormulaType.DateTime(),
            var type when type == typeof(JsonElement) => new FormulaType.Json(),
            var type when type == typeof(IReadOnlyList<object?>) => new FormulaType.List(new FormulaType.Blank()),
            _ => null,
        };
}
