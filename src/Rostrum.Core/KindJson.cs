using System.Collections.Frozen;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;

namespace Rostrum.Core;

/// <summary>Reads and writes Rostrum's documents. Every sealed case of an abstract record in Core is known to it by being there.</summary>
public static class KindJson
{
    /// <summary>The options for every document that Rostrum keeps.</summary>
    public static JsonSerializerOptions Options { get; } = Create();

    private static readonly FrozenDictionary<Type, JsonDerivedType[]> Families = typeof(KindJson)
        .Assembly.GetTypes()
        .Where(type => type is { IsSealed: true, IsAbstract: false })
        .SelectMany(type => FamiliesOf(type).Select(family => (Family: family, Type: type)))
        .ToLookup(pair => pair.Family, pair => pair.Type)
        .ToFrozenDictionary(family => family.Key, family => family.Select(kind => new JsonDerivedType(kind, NameOf(kind))).ToArray());

    /// <summary>Reads a document; null where a text is none of its kind, whatever it is.</summary>
    public static T? Read<T>(string? text)
        where T : class
    {
        if (text is null)
        {
            return null;
        }

        try
        {
            return JsonSerializer.Deserialize<T>(text, Options);
        }
        catch (Exception exception) when (exception is JsonException or NotSupportedException)
        {
            return null;
        }
    }

    /// <summary>A document as text.</summary>
    public static string Write<T>(T document) => JsonSerializer.Serialize(document, Options);

    /// <summary>The name under which a kind stands in a document: its class's name with a small first letter.</summary>
    public static string NameOf(Type kind)
    {
        ArgumentNullException.ThrowIfNull(kind);
        return JsonNamingPolicy.CamelCase.ConvertName(kind.Name);
    }

    private static IEnumerable<Type> FamiliesOf(Type type)
    {
        for (var family = type.BaseType; family is { IsAbstract: true } && family.Assembly == type.Assembly; family = family.BaseType)
        {
            yield return family;
        }
    }

    // The database orders a document's names by their length, so that the kind does not always come first.
    private static JsonSerializerOptions Create() =>
        new(JsonSerializerDefaults.Web)
        {
            AllowOutOfOrderMetadataProperties = true,
            RespectNullableAnnotations = true,
            DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
            Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
            TypeInfoResolver = new DefaultJsonTypeInfoResolver { Modifiers = { NameTheKinds, LeaveOutWhatIsWorkedOut, DemandWhatMustBe } },
        };

    // What a record of ours works out from its values is no part of its document.
    internal static void LeaveOutWhatIsWorkedOut(JsonTypeInfo info)
    {
        var isOurs = info.Type.Assembly == typeof(KindJson).Assembly;
        foreach (
            var property in info
                .Properties.Where(property => isOurs)
                .Where(property => property.AttributeProvider is PropertyInfo { CanWrite: false })
                .ToArray()
        )
        {
            info.Properties.Remove(property);
        }
    }

    // What a record of ours cannot be without is in its document, or it is none.
    internal static void DemandWhatMustBe(JsonTypeInfo info)
    {
        foreach (var property in info.Properties)
        {
            if (
                property.AssociatedParameter is { IsNullable: false, HasDefaultValue: false, ParameterType.IsValueType: false }
                && info.Type.Assembly == typeof(KindJson).Assembly
            )
            {
                property.IsRequired = true;
            }
        }
    }

    internal static void NameTheKinds(JsonTypeInfo info)
    {
        if (info.Type.IsAbstract && Families.TryGetValue(info.Type, out var kinds))
        {
            info.PolymorphismOptions = new JsonPolymorphismOptions { TypeDiscriminatorPropertyName = "kind" };
            foreach (var kind in kinds)
            {
                info.PolymorphismOptions.DerivedTypes.Add(kind);
            }
        }
    }
}
