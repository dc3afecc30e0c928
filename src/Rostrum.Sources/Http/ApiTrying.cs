using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Apis;

namespace Rostrum.Sources.Http;

/// <summary>Sends single requests for builders who describe an API, and reads what the answers are like.</summary>
public static class ApiTrying
{
    private const int MostSampled = 500;

    /// <summary>Sends one request; what goes wrong is in the answer.</summary>
    /// <param name="settings">The source.</param>
    /// <param name="request">The request.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <param name="tokens">Keeps the tokens that the API gives; this call alone has them where null.</param>
    public static async Task<ApiAnswer> SendAsync(
        SourceSettings settings,
        ApiRequest request,
        CancellationToken cancellation,
        IApiTokens? tokens = null
    )
    {
        ArgumentNullException.ThrowIfNull(request);
        using var calls = Calls(settings, tokens);
        try
        {
            return await calls.SendAsync(new ApiCall(request), cancellation);
        }
        catch (Exception exception) when (HttpSource.IsOfTheApi(exception))
        {
            return new ApiAnswer(request.Method, calls.Masked(calls.Address + request.Path), 0, [], () => "", 0, TimeSpan.Zero)
            {
                Failure = HttpSource.Failure(calls, exception),
            };
        }
    }

    /// <summary>The records that an answer lists, as a resource: its list, fields, key and paging as they are found.</summary>
    /// <param name="name">The table's name.</param>
    /// <param name="request">The request.</param>
    /// <param name="answer">Its answer.</param>
    /// <param name="items">Where the list stands; found by itself where null.</param>
    public static ApiResource? Described(string name, ApiRequest request, ApiAnswer answer, string? items = null)
    {
        ArgumentNullException.ThrowIfNull(request);
        ArgumentNullException.ThrowIfNull(answer);
        if (answer.Json is not { } json)
        {
            return null;
        }

        var pointer = items ?? AnswerReading.Lists(json).Cast<string?>().FirstOrDefault();
        if (pointer is null || JsonPointer.At(json, pointer) is not { ValueKind: JsonValueKind.Array } list)
        {
            return null;
        }

        JsonElement[] records = [.. list.EnumerateArray().Where(record => record.ValueKind is JsonValueKind.Object)];
        var paging = AnswerReading.Paging(json, pointer, answer.Header("Link"), [.. request.Query.Select(pair => pair.Name)]);
        return Shaped(
            new ApiResource
            {
                Name = name,
                List = request with { Query = [.. request.Query.Where(pair => !IsOfPaging(pair.Name, paging))] },
                Items = pointer,
                Total = AnswerReading.Total(json, pointer),
                Paging = paging,
            },
            records
        );
    }

    /// <summary>The resource with the fields and the key of more of its records: of as many as a sample needs.</summary>
    public static async Task<ApiResource> SampledAsync(SourceSettings settings, ApiResource resource, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(resource);
        using var calls = Calls(settings);
        try
        {
            var found = await new ApiLists(calls).RecordsAsync(resource, [], 0, MostSampled, null, cancellation);
            return Shaped(resource, [.. found.Records.Where(record => record.ValueKind is JsonValueKind.Object)]);
        }
        catch (Exception exception) when (HttpSource.IsOfTheApi(exception))
        {
            return resource;
        }
    }

    // Whoever lists records has named them: nobody else writes their key.
    private static ApiResource Shaped(ApiResource resource, JsonElement[] records)
    {
        var fields = AnswerReading.Fields(records);
        var key = AnswerReading.Key(fields, records);
        return resource with { Fields = [.. fields.Select(field => field with { ReadOnly = key.Contains(field.Name) })], Key = key };
    }

    // The paging itself says which page is asked for.
    private static bool IsOfPaging(string name, ApiPaging paging) =>
        paging switch
        {
            ApiPaging.Number number => name == number.Parameter || name == number.SizeParameter,
            ApiPaging.Offset offset => name == offset.Parameter || name == offset.SizeParameter,
            ApiPaging.Cursor cursor => name == cursor.Parameter,
            _ => false,
        };

    /// <summary>Names and values, one pair a line with a colon between.</summary>
    public static ImmutableArray<ApiPair> Pairs(string lines) => HttpProvider.Pairs(lines);

    /// <summary>The requests that a source keeps; none where the text holds none.</summary>
    public static ImmutableArray<ApiResource> Resources(string requests) => HttpProvider.Resources(requests);

    internal static HttpCalls Calls(SourceSettings settings, IApiTokens? tokens = null) =>
        new(HttpProvider.SettingsOf(settings), settings, tokens ?? SourceServices.Alone.Tokens);
}
