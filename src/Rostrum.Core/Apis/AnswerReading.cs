using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Apis;

/// <summary>Reads of an answer what it holds: where its list stands, what its records are like, and how the rest of it is had.</summary>
public static class AnswerReading
{
    private const int MostDepth = 6;
    private const int MostFields = 120;

    private static readonly string[] KeyNames = ["id", "uuid", "key", "code", "number", "reference", "slug", "name"];
    private static readonly string[] TotalNames =
    [
        "total",
        "total_count",
        "totalCount",
        "count",
        "total_items",
        "totalItems",
        "total_results",
    ];
    private static readonly string[] NextNames = ["next", "next_url", "nextUrl", "next_page", "nextPage", "next_link", "nextLink"];

    private static readonly string[] CursorNames =
    [
        "next_cursor",
        "nextCursor",
        "cursor",
        "next_token",
        "nextToken",
        "continuation",
        "after",
        "next",
    ];

    private static readonly string[] PageNames = ["page", "page_number", "pageNumber", "current_page", "currentPage"];
    private static readonly string[] OffsetNames = ["offset", "skip", "start"];
    private static readonly string[] SizeNames = ["per_page", "perPage", "page_size", "pageSize", "limit", "size", "take"];

    /// <summary>The lists of objects in an answer, the likeliest first: the longest, then the nearest to the top.</summary>
    public static ImmutableArray<string> Lists(JsonElement answer)
    {
        var found = new List<(string Pointer, int Objects, int Depth)>();
        Search(answer, "", 0);
        return
        [
            .. found
                .OrderByDescending(list => list.Objects > 0)
                .ThenBy(list => list.Depth)
                .ThenByDescending(list => list.Objects)
                .Select(list => list.Pointer),
        ];

        void Search(JsonElement at, string pointer, int depth)
        {
            if (at.ValueKind is JsonValueKind.Array)
            {
                var objects = at.EnumerateArray().Count(element => element.ValueKind is JsonValueKind.Object);
                if (objects == at.GetArrayLength())
                {
                    found.Add((pointer, objects, depth));
                }
            }
            else if (at.ValueKind is JsonValueKind.Object && depth < MostDepth)
            {
                foreach (var member in at.EnumerateObject())
                {
                    Search(member.Value, JsonPointer.Into(pointer, member.Name), depth + 1);
                }
            }
        }
    }

    /// <summary>The fields of some records, in the order in which they come: of objects within, theirs.</summary>
    public static ImmutableArray<ApiField> Fields(IReadOnlyCollection<JsonElement> records)
    {
        ArgumentNullException.ThrowIfNull(records);
        var seen = new Dictionary<string, Seen>(StringComparer.Ordinal);
        var order = new List<string>();
        foreach (var record in records.Where(record => record.ValueKind is JsonValueKind.Object))
        {
            Look(record, "", "");
        }

        return
        [
            .. order
                .Where(pointer => !seen[pointer].IsWay)
                .Take(MostFields)
                .Select(pointer => seen[pointer].AsField(pointer, records.Count)),
        ];

        void Look(JsonElement at, string pointer, string name)
        {
            foreach (var member in at.EnumerateObject())
            {
                var (way, called) = (JsonPointer.Into(pointer, member.Name), name.Length == 0 ? member.Name : $"{name}.{member.Name}");
                if (!seen.TryGetValue(way, out var known))
                {
                    seen.Add(way, known = new Seen(called));
                    order.Add(way);
                }

                if (member.Value.ValueKind is JsonValueKind.Object && JsonPointer.Parts(way).Length < MostDepth)
                {
                    known.IsWay = true;
                    Look(member.Value, way, called);
                }
                else
                {
                    known.Add(member.Value);
                }
            }
        }
    }

    /// <summary>The fields that name a record: one whose values are all there and all different, by its name the likeliest.</summary>
    public static ImmutableArray<string> Key(ImmutableArray<ApiField> fields, IReadOnlyCollection<JsonElement> records)
    {
        ArgumentNullException.ThrowIfNull(records);
        return
        [
            .. fields
                .Where(field => !field.Nullable && field.Type is FieldType.Integer or FieldType.Text or FieldType.Uuid)
                .Where(field =>
                    records.Select(record => JsonPointer.At(record, field.Pointer)?.ToString()).Distinct().Count() == records.Count
                )
                .Select(field => (field.Name, Rank: Rank(field.Name)))
                .Where(field => field.Rank >= 0)
                .OrderBy(field => field.Rank)
                .Select(field => field.Name)
                .Take(1),
        ];

        static int Rank(string name)
        {
            var at = Array.FindIndex(KeyNames, known => known.Equals(name, StringComparison.OrdinalIgnoreCase));
            return at >= 0 ? at
                : name.EndsWith("_id", StringComparison.OrdinalIgnoreCase) || name.EndsWith("Id", StringComparison.Ordinal)
                    ? KeyNames.Length
                : -1;
        }
    }

    /// <summary>How the rest of a list is had, as far as the answer and its headers tell.</summary>
    /// <param name="answer">The answer.</param>
    /// <param name="items">Where its list stands.</param>
    /// <param name="link">The Link header; null where there is none.</param>
    /// <param name="query">The names of the query's parameters.</param>
    public static ApiPaging Paging(JsonElement answer, string items, string? link, IReadOnlyCollection<string> query)
    {
        ArgumentNullException.ThrowIfNull(query);
        if (link?.Contains("rel=\"next\"", StringComparison.OrdinalIgnoreCase) == true)
        {
            return new ApiPaging.Link();
        }

        var size = JsonPointer.At(answer, items) is { ValueKind: JsonValueKind.Array } list ? list.GetArrayLength() : 0;
        var beside = Beside(answer, items).ToArray();
        var sizeParameter = Asked(query, SizeNames);
        foreach (var (pointer, name, value) in beside)
        {
            if (NextNames.Contains(name) && value.ValueKind is JsonValueKind.String && IsAddress(value.GetString()!))
            {
                return new ApiPaging.Next(pointer);
            }
        }

        foreach (var (pointer, name, value) in beside)
        {
            if (CursorNames.Contains(name) && value.ValueKind is JsonValueKind.String)
            {
                var parameter = query.FirstOrDefault(asked => asked.Contains("cursor", StringComparison.OrdinalIgnoreCase)) ?? "cursor";
                return new ApiPaging.Cursor(parameter, pointer);
            }
        }

        foreach (var (_, name, value) in beside)
        {
            if (OffsetNames.Contains(name) && value.ValueKind is JsonValueKind.Number)
            {
                return new ApiPaging.Offset(Asked(query, OffsetNames) ?? name, sizeParameter ?? SizeIn(beside), Math.Max(1, size));
            }
        }

        foreach (var (_, name, value) in beside)
        {
            if (PageNames.Contains(name) && value.ValueKind is JsonValueKind.Number && value.TryGetInt32(out var first))
            {
                var parameter = Asked(query, PageNames) ?? "page";
                return new ApiPaging.Number(parameter, first == 0 ? 0 : 1, sizeParameter ?? SizeIn(beside), Math.Max(1, size));
            }
        }

        return Paging(query, size);
    }

    /// <summary>How the rest of a list is had, as far as the names of a query's parameters tell.</summary>
    /// <param name="query">The names.</param>
    /// <param name="size">Records a page.</param>
    public static ApiPaging Paging(IReadOnlyCollection<string> query, int size)
    {
        ArgumentNullException.ThrowIfNull(query);
        var sizeParameter = Asked(query, SizeNames);
        return Asked(query, PageNames) is { } page ? new ApiPaging.Number(page, 1, sizeParameter, Math.Max(1, size))
            : Asked(query, OffsetNames) is { } offset ? new ApiPaging.Offset(offset, sizeParameter, Math.Max(1, size))
            : new ApiPaging.None();
    }

    /// <summary>Where the number of all records stands in an answer; null where it does not.</summary>
    public static string? Total(JsonElement answer, string items)
    {
        var listed = JsonPointer.At(answer, items) is { ValueKind: JsonValueKind.Array } list ? list.GetArrayLength() : 0;
        return Beside(answer, items)
            .Where(member => TotalNames.Contains(member.Name) && member.Value.ValueKind is JsonValueKind.Number)
            .Where(member => member.Value.TryGetInt64(out var number) && number >= listed)
            .OrderBy(member => Array.IndexOf(TotalNames, member.Name))
            .Select(member => member.Pointer)
            .FirstOrDefault();
    }

    // What stands around the list: in the objects on the way to it, and in those beside it.
    private static IEnumerable<(string Pointer, string Name, JsonElement Value)> Beside(JsonElement answer, string items)
    {
        var (way, here) = ("", answer);
        foreach (var part in JsonPointer.Parts(items))
        {
            if (here.ValueKind is not JsonValueKind.Object)
            {
                yield break;
            }

            foreach (var member in here.EnumerateObject())
            {
                var pointer = JsonPointer.Into(way, member.Name);
                if (member.Value.ValueKind is JsonValueKind.Object && member.Name != part)
                {
                    foreach (var inner in member.Value.EnumerateObject())
                    {
                        yield return (JsonPointer.Into(pointer, inner.Name), inner.Name, inner.Value);
                    }
                }
                else
                {
                    yield return (pointer, member.Name, member.Value);
                }
            }

            way = JsonPointer.Into(way, part);
            here = here.GetProperty(part);
        }
    }

    private static string? Asked(IReadOnlyCollection<string> query, string[] names) =>
        query.FirstOrDefault(name => names.Contains(name, StringComparer.OrdinalIgnoreCase));

    private static string? SizeIn((string Pointer, string Name, JsonElement Value)[] beside) =>
        beside.Select(member => member.Name).FirstOrDefault(name => SizeNames.Contains(name, StringComparer.OrdinalIgnoreCase));

    private static bool IsAddress(string text) =>
        text.StartsWith('/')
        || text.StartsWith("http://", StringComparison.Ordinal)
        || text.StartsWith("https://", StringComparison.Ordinal);

    // What the values of one member are.
    private sealed class Seen(string name)
    {
        private const int MostFew = 12;

        private readonly List<string> _texts = [];
        private int _values;
        private int _whole;
        private int _numbers;
        private int _truths;
        private int _lists;

        /// <summary>It leads to members of its own.</summary>
        public bool IsWay { get; set; }

        public void Add(JsonElement value)
        {
            switch (value.ValueKind)
            {
                case JsonValueKind.Null:
                    return;
                case JsonValueKind.Number:
                    _numbers++;
                    _whole += value.TryGetInt64(out _) ? 1 : 0;
                    break;
                case JsonValueKind.True or JsonValueKind.False:
                    _truths++;
                    break;
                case JsonValueKind.String:
                    _texts.Add(value.GetString()!);
                    break;
                default:
                    _lists++;
                    break;
            }

            _values++;
        }

        public ApiField AsField(string pointer, int records)
        {
            var (type, asText) = Type();
            return new ApiField(name, pointer, type, _values < records)
            {
                AsText = asText,
                Values =
                    type is FieldType.Text
                        ? new ValueEvidence { Few = Few(), IsShort = _texts.All(text => text.Length <= 60 && !text.Contains('\n')) }
                        : null,
            };
        }

        private (FieldType Type, bool AsText) Type() =>
            _values == 0 || _lists > 0 ? (_lists > 0 ? new FieldType.Native() : new FieldType.Text(), false)
            : _truths == _values ? (new FieldType.YesNo(), false)
            : _whole == _values ? (new FieldType.Integer(), false)
            : _numbers == _values ? (new FieldType.Number(), false)
            : _texts.Count < _values ? (new FieldType.Native(), false)
            : _texts.TrueForAll(text =>
                DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out _)
            )
                ? (new FieldType.Date(), false)
            : _texts.TrueForAll(ApiValues.IsInstant) ? (new FieldType.Instant(), false)
            : _texts.TrueForAll(ApiValues.IsLocalMoment) ? (new FieldType.LocalDateTime(), false)
            : _texts.TrueForAll(text => Guid.TryParseExact(text, "D", out _)) ? (new FieldType.Uuid(), false)
            : _texts.TrueForAll(ApiValues.IsDecimalText) ? (new FieldType.Number(), true)
            : (new FieldType.Text(), false);

        private ImmutableArray<string> Few() =>
            _texts.Distinct(StringComparer.Ordinal).ToArray() is { Length: <= MostFew } few && _texts.Count >= few.Length * 3
                ? [.. few.Order(StringComparer.Ordinal)]
                : [];
    }
}
