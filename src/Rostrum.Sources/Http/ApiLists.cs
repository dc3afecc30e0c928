using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Memory;

namespace Rostrum.Sources.Http;

/// <summary>Fetches the records of an API's lists, page by page, and keeps answers for as long as the builder chose.</summary>
internal sealed class ApiLists(HttpCalls calls)
{
    /// <summary>So many records are fetched for one request, and no more.</summary>
    public const int MostRecords = 10_000;

    private const int MostPages = 400;
    private const int MostKept = 500;

    private readonly ConcurrentDictionary<string, Kept> _kept = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, Lazy<Task<ApiAnswer>>> _underWay = new(StringComparer.Ordinal);

    private sealed record Kept(ApiAnswer Answer, string? Etag, long Until);

    /// <summary>Forgets kept answers: something was changed.</summary>
    public void Forget() => _kept.Clear();

    /// <summary>The query parameters that ask for the first page.</summary>
    public static IEnumerable<KeyValuePair<string, string>> FirstPage(ApiResource? resource) =>
        resource?.Paging switch
        {
            ApiPaging.Number number => Numbered(number, 0),
            ApiPaging.Offset offset => FromNumber(offset, 0),
            _ => [],
        };

    /// <summary>One record by its key; none where the API does not have it.</summary>
    public async Task<Fetched> OneAsync(Wanted wanted, ApiResource resource, RecordKey key, CancellationToken cancellation)
    {
        var call = new ApiCall(resource.One!) { Filled = Filled(wanted.Dataset, FieldValues.None, key) };
        var answer = await AnswerAsync(call, wanted.IsFresh ? 0 : resource.KeptSeconds, cancellation);
        var record =
            answer is { Status: 404 or 410 } ? null
            : answer.Failure is { } failure ? throw new ApiException(failure, answer.Status)
            : answer.Json is { } json ? JsonPointer.At(json, resource.Item)
            : null;
        Tell(wanted, answer, record is null ? 0 : 1, []);
        return new Fetched(record is { } found ? [Row(Fields(wanted.Dataset, resource), found)] : [], null, HasMore: false);
    }

    /// <summary>The records of a list from a number on, so many at the most; all where none is given.</summary>
    public async Task<Fetched> ReadAsync(
        Wanted wanted,
        ApiResource resource,
        ApiAsked asked,
        int from,
        int? most,
        CancellationToken cancellation
    )
    {
        var fields = Fields(wanted.Dataset, resource);
        var (rows, total, more) = (new List<object?[]>(), (long?)null, false);
        foreach (var filter in asked.Filters)
        {
            var found = await RecordsAsync(resource, filter, from, most, (wanted, asked.Left), cancellation);
            (total, more) = (found.Total, more || found.HasMore);
            rows.AddRange(found.Records.Select(record => Row(fields, record)));
            if (rows.Count > MostRecords)
            {
                return new Fetched(rows, total, more, IsCut: true);
            }
        }

        if (wanted.Dataset.Key is { IsEmpty: false } key)
        {
            Keyed(wanted.Dataset, rows);
        }

        return new Fetched(rows, total, more, IsCut: more && most is null);
    }

    /// <summary>The records of a list, as the API gives them.</summary>
    public async Task<(List<JsonElement> Records, long? Total, bool HasMore)> RecordsAsync(
        ApiResource resource,
        ImmutableArray<KeyValuePair<string, string>> filter,
        int from,
        int? most,
        (Wanted Wanted, ImmutableArray<string> Left)? told,
        CancellationToken cancellation
    )
    {
        var records = new List<JsonElement>();
        var (page, skip) = resource.Paging switch
        {
            ApiPaging.Number number => (from / number.Size, from % number.Size),
            ApiPaging.Offset => (0, 0),
            _ => (0, from),
        };
        var wanted = most is { } many ? (long)many + skip : MostRecords + 1L;
        var place = resource.Paging is ApiPaging.Number { Size: var size } ? page * size : from - skip;
        var (next, before, total) = ((string?)null, (string?)null, (long?)null);
        string? cursor = null;
        for (var pages = 0; pages < MostPages; pages++)
        {
            var query = resource.Paging switch
            {
                ApiPaging.Number number => Numbered(number, page + pages),
                ApiPaging.Offset offset => FromNumber(offset, place),
                ApiPaging.Cursor by when cursor is not null => [KeyValuePair.Create(by.Parameter, cursor)],
                _ => [],
            };
            var call = new ApiCall(resource.List)
            {
                Filled = Filled(told?.Wanted.Dataset, FieldValues.None, null),
                Query = [.. filter, .. query],
                Address = next,
            };
            var answer = await AnswerAsync(call, told?.Wanted.IsFresh == true ? 0 : resource.KeptSeconds, cancellation);
            if (answer.Failure is { } failure)
            {
                throw new ApiException(failure, answer.Status);
            }

            var list = List(answer, resource);
            Tell(told?.Wanted, answer, list.GetArrayLength(), told?.Left ?? []);
            var text = list.GetArrayLength() > 0 ? list[0].GetRawText() + list.GetArrayLength() : null;
            if (text is not null && text == before)
            {
                throw new ApiException(
                    new SourceFailure(
                        FailureReason.Other,
                        $"“{calls.Address}” gives the same page again and again: its paging is not what the requests say."
                    )
                );
            }

            before = text;
            total ??= Total(answer, resource);
            records.AddRange(list.EnumerateArray());
            place += list.GetArrayLength();
            var hasMore = HasMore(resource, answer, list.GetArrayLength(), place, total, out next, out cursor);
            if (!hasMore || records.Count >= wanted)
            {
                var kept = skip == 0 ? records : [.. records.Skip(skip)];
                var over = most is { } limit && kept.Count > limit;
                return (over ? kept[..most!.Value] : kept, total, hasMore || over);
            }
        }

        return (records, total, true);
    }

    /// <summary>Where a field stands in the API's records; null where it does not.</summary>
    public static ApiField? FieldOf(Field field, ApiResource resource) =>
        resource.Fields.FirstOrDefault(known => known.Name == field.Column) is { } known ? known with { Type = field.Type } : null;

    /// <summary>What templates of a request know of a record: its fields, as far as they are given.</summary>
    public static (FormulaShape Shape, object?[] Values) Filled(Dataset? dataset, FieldValues values, RecordKey? key)
    {
        if (dataset is null)
        {
            return (new FormulaShape("request", []), []);
        }

        var fields = dataset.StoredFields.Where(field => DatasetShapes.TypeOf(field) is not null).ToArray();
        object? Value(Field field) =>
            values.Has(field.Name) ? values[field.Name]
            : key is not null && dataset.Key.IndexOf(field.Name) is >= 0 and var at ? key.Values[at]
            : null;
        return (
            new FormulaShape(
                dataset.RecordLabel,
                [.. fields.Select(field => KeyValuePair.Create(field.Name.Value, DatasetShapes.TypeOf(field)!))]
            ),
            [.. fields.Select(field => DatasetShapes.Carried(Value(field)))]
        );
    }

    private static ApiField?[] Fields(Dataset dataset, ApiResource resource) =>
        [.. dataset.StoredFields.Select(field => FieldOf(field, resource))];

    private static object?[] Row(ApiField?[] fields, JsonElement record) =>
        Array.ConvertAll(fields, field => field is null ? null : ApiValues.Read(record, field));

    // A record without a key cannot be opened, and one that comes twice is one.
    private static void Keyed(Dataset dataset, List<object?[]> rows)
    {
        var stored = dataset.StoredFields.Select(field => field.Name).ToList();
        int[] places = [.. dataset.Key.Select(stored.IndexOf)];
        var seen = new HashSet<string>(StringComparer.Ordinal);
        rows.RemoveAll(row =>
            places.Any(place => row[place] is null or Unreadable)
            || !seen.Add(string.Join('\n', places.Select(place => ApiValues.Text(row[place]))))
        );
    }

    private static JsonElement List(ApiAnswer answer, ApiResource resource) =>
        answer.Json is { } json && JsonPointer.At(json, resource.Items) is { ValueKind: JsonValueKind.Array } list ? list
        : answer is { Status: 204 } or { Json: null, Size: 0 } ? Empty
        : throw new ApiException(
            new SourceFailure(
                FailureReason.StructureChanged,
                $"The answer of {answer.Address} has no list at “{(resource.Items.Length == 0 ? "/" : resource.Items)}”: its shape is "
                    + "another than when it was connected."
            )
        );

    private static JsonElement Empty { get; } = JsonDocument.Parse("[]").RootElement.Clone();

    private static long? Total(ApiAnswer answer, ApiResource resource) =>
        resource.Total is { } pointer
        && answer.Json is { } json
        && JsonPointer.At(json, pointer) is { ValueKind: JsonValueKind.Number } number
        && number.TryGetInt64(out var total)
            ? total
            : null;

    private static bool HasMore(
        ApiResource resource,
        ApiAnswer answer,
        int listed,
        int place,
        long? total,
        out string? next,
        out string? cursor
    )
    {
        (next, cursor) = (null, null);
        switch (resource.Paging)
        {
            case ApiPaging.Number number:
                return listed >= number.Size && !(place >= total);
            case ApiPaging.Offset offset:
                return listed > 0 && (total is not null ? place < total : listed >= offset.Size);
            case ApiPaging.Cursor by:
                cursor = Text(answer, by.Pointer);
                return cursor is not null;
            case ApiPaging.Next by:
                next = Text(answer, by.Pointer);
                return next is not null;
            case ApiPaging.Link:
                next = LinkedNext(answer.Header("Link"));
                return next is not null;
            default:
                return false;
        }
    }

    private static string? Text(ApiAnswer answer, string pointer) =>
        answer.Json is { } json
        && JsonPointer.At(json, pointer) is { ValueKind: JsonValueKind.String or JsonValueKind.Number } element
        && element.ToString() is { Length: > 0 } text
            ? text
            : null;

    /// <summary>The address of the next page in a Link header (RFC 8288); null where there is none.</summary>
    public static string? LinkedNext(string? header) =>
        header
            ?.Split(',')
            .Select(link => link.Split(';', StringSplitOptions.TrimEntries))
            .Where(parts => parts.Skip(1).Any(part => part is "rel=\"next\"" or "rel=next"))
            .Select(parts => parts[0].Trim('<', '>', ' '))
            .FirstOrDefault();

    private static KeyValuePair<string, string>[] Numbered(ApiPaging.Number paging, int page) =>
        [
            KeyValuePair.Create(paging.Parameter, (paging.First + page).ToString(CultureInfo.InvariantCulture)),
            .. Sized(paging.SizeParameter, paging.Size),
        ];

    private static KeyValuePair<string, string>[] FromNumber(ApiPaging.Offset paging, int place) =>
        [KeyValuePair.Create(paging.Parameter, place.ToString(CultureInfo.InvariantCulture)), .. Sized(paging.SizeParameter, paging.Size)];

    private static KeyValuePair<string, string>[] Sized(string? parameter, int size) =>
        parameter is null ? [] : [KeyValuePair.Create(parameter, size.ToString(CultureInfo.InvariantCulture))];

    // Whoever asks the same at the same moment shares the answer; a kept one is asked for again by its tag once its time is over.
    private async Task<ApiAnswer> AnswerAsync(ApiCall call, int keptSeconds, CancellationToken cancellation)
    {
        if (call.Request.Method != "GET" || keptSeconds == 0)
        {
            return await calls.SendAsync(call, cancellation);
        }

        var key = $"{call.Address ?? call.Request.Path} {string.Join('&', call.Query)} {string.Join('&', call.Filled.Values)}";
        if (_kept.TryGetValue(key, out var kept) && kept.Until > Environment.TickCount64)
        {
            return kept.Answer;
        }

        var asking = _underWay.GetOrAdd(key, _ => new Lazy<Task<ApiAnswer>>(() => AskAsync()));
        try
        {
            return await asking.Value.WaitAsync(cancellation);
        }
        finally
        {
            _underWay.TryRemove(KeyValuePair.Create(key, asking));
        }

        async Task<ApiAnswer> AskAsync()
        {
            var answer = await calls.SendAsync(call with { Etag = kept?.Etag }, CancellationToken.None);
            if (answer.Status == 304 && kept is not null)
            {
                answer = kept.Answer;
            }

            if (answer.Failure is null)
            {
                if (_kept.Count >= MostKept)
                {
                    _kept.Clear();
                }

                _kept[key] = new Kept(answer, answer.Header("ETag") ?? kept?.Etag, Environment.TickCount64 + keptSeconds * 1000L);
            }

            return answer;
        }
    }

    private static void Tell(Wanted? wanted, ApiAnswer answer, int rows, ImmutableArray<string> left) =>
        wanted?.Told?.Invoke(
            new SourceCall(wanted.Dataset.Source, $"{answer.Method} {answer.Address}", [], answer.Took, rows)
            {
                Note = left.IsEmpty ? null : $"The API has no parameter for {string.Join(", ", left)}: memory decides it.",
            }
        );
}
