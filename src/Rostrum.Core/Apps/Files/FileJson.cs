using System.Collections;
using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Files;

/// <summary>Documents as they stand in files: datasets and sources by their names, what is as usual left out, names in one order.</summary>
internal static class FileJson
{
    private static readonly ConcurrentDictionary<Type, object?> Usual = new();

    // What is found out about types is found out once; the names are those of the folder at hand.
    private static readonly JsonSerializerOptions Shared = new(KindJson.Options)
    {
        Converters =
        {
            new NameConverter<DatasetId>(() => _datasets!),
            new NameConverter<SourceId>(() => _sources!),
            new SortedConverter<string>(),
            new SortedConverter<int>(),
        },
        TypeInfoResolver = new DefaultJsonTypeInfoResolver
        {
            Modifiers = { KindJson.NameTheKinds, KindJson.LeaveOutWhatIsWorkedOut, KindJson.DemandWhatMustBe, LeaveOutWhatIsUsual },
        },
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
    };

    [ThreadStatic]
    private static Names<DatasetId>? _datasets;

    [ThreadStatic]
    private static Names<SourceId>? _sources;

    /// <summary>The options for a folder's files, for what this thread writes and reads next.</summary>
    /// <param name="datasets">The names that the folder has for datasets.</param>
    /// <param name="sources">The names of sources.</param>
    public static JsonSerializerOptions Options(Names<DatasetId> datasets, Names<SourceId> sources)
    {
        (_datasets, _sources) = (datasets, sources);
        return Shared;
    }

    private static void LeaveOutWhatIsUsual(JsonTypeInfo info)
    {
        foreach (var property in info.Properties.Where(property => property is { IsRequired: false, Get: not null }))
        {
            property.ShouldSerialize = (of, value) =>
                value is not null && (UsualOf(of.GetType()) is not { } usual || !Same(value, property.Get!(usual)));
        }
    }

    // What a new one has before anything is said of it; null where a new one cannot be without something.
    private static object? UsualOf(Type type) => Usual.GetOrAdd(type, known => known.GetConstructor(Type.EmptyTypes)?.Invoke(null));

    private static bool Same(object? one, object? other) =>
        Equals(one, other)
        || (one is not string && one is IEnumerable some && other is IEnumerable others && IsEmpty(some) && IsEmpty(others));

    private static bool IsEmpty(IEnumerable list) =>
        list.GetType() is { IsValueType: true } type && type.GetProperty("IsDefaultOrEmpty") is { } isEmpty
            ? (bool)isEmpty.GetValue(list)!
            : !list.GetEnumerator().MoveNext();

    private sealed class NameConverter<T>(Func<Names<T>> names) : JsonConverter<T>
        where T : struct
    {
        public override T Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options)
        {
            var name = reader.GetString() ?? "";
            return names().Of(name) ?? throw new JsonException($"There is no {names().Noun} “{name}” here.");
        }

        public override void Write(Utf8JsonWriter writer, T value, JsonSerializerOptions options) =>
            writer.WriteStringValue(names().NameOf(value));
    }

    private sealed class SortedConverter<T> : JsonConverter<ImmutableDictionary<string, T>>
    {
        public override ImmutableDictionary<string, T> Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            JsonSerializer.Deserialize<Dictionary<string, T>>(ref reader, options)!.ToImmutableDictionary();

        public override void Write(Utf8JsonWriter writer, ImmutableDictionary<string, T> value, JsonSerializerOptions options) =>
            JsonSerializer.Serialize(writer, new SortedDictionary<string, T>(value, StringComparer.Ordinal), options);
    }
}

/// <summary>Names for identities, each for one.</summary>
/// <param name="noun">What is named.</param>
internal sealed class Names<T>(string noun)
    where T : struct
{
    private readonly Dictionary<string, T> _ids = new(StringComparer.Ordinal);
    private readonly Dictionary<T, string> _names = [];

    public string Noun => noun;

    public void Add(string name, T id)
    {
        _ids[name] = id;
        _names[id] = name;
    }

    public T? Of(string name) => _ids.TryGetValue(name, out var id) ? id : null;

    // What is not among them is gone: its identity is all that is known of it.
    public string NameOf(T id) => _names.TryGetValue(id, out var name) ? name : id.ToString()!;
}
