using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apis;

/// <summary>Records that an API gives and takes, as a table of its source: how they are listed, and how one is read and written.</summary>
public sealed record ApiResource
{
    /// <summary>The table's name.</summary>
    public required string Name { get; init; }

    /// <summary>The request that lists the records. Its answer holds a list.</summary>
    public required ApiRequest List { get; init; }

    /// <summary>The request for one record; null where there is none.</summary>
    public ApiRequest? One { get; init; }

    /// <summary>The request that makes a record; null where none can be made.</summary>
    public ApiRequest? Create { get; init; }

    /// <summary>The request that changes one; null where none can be changed.</summary>
    public ApiRequest? Update { get; init; }

    /// <summary>The request that removes one; null where none can be removed.</summary>
    public ApiRequest? Delete { get; init; }

    /// <summary>Where in the answer the list stands, as a pointer (RFC 6901); the empty text is the whole answer.</summary>
    public string Items { get; init; } = "";

    /// <summary>Where in the answers to the other requests the record stands.</summary>
    public string Item { get; init; } = "";

    /// <summary>Where in the answer the number of all records stands; null where it does not.</summary>
    public string? Total { get; init; }

    /// <summary>How the rest of a list is had.</summary>
    public ApiPaging Paging { get; init; } = new ApiPaging.None();

    /// <summary>What each record holds.</summary>
    public ImmutableArray<ApiField> Fields { get; init; } = [];

    /// <summary>The names of the fields that name a record.</summary>
    public ImmutableArray<string> Key { get; init; } = [];

    /// <summary>The query parameter by which the API narrows a list to one value of a field, by the field's name.</summary>
    public ImmutableSortedDictionary<string, string> Filters { get; init; } = ImmutableSortedDictionary<string, string>.Empty;

    /// <summary>How the API puts a list in order; null where it does not.</summary>
    public ApiOrder? Order { get; init; }

    /// <summary>For how many seconds an answer is kept; 0 keeps none.</summary>
    public int KeptSeconds { get; init; }

    /// <summary>The table as drafting sees it.</summary>
    public TableStructure AsTable() =>
        new()
        {
            Name = new TableName("", Name),
            IsView = Create is null && Update is null && Delete is null,
            Columns =
            [
                .. Fields.Select(field => new ColumnStructure(
                    field.Name,
                    field.Type,
                    field.Type is FieldType.Native ? "json" : field.Type.Word,
                    !field.Required && !Key.Contains(field.Name),
                    Generation: field.ReadOnly ? ColumnGeneration.Computed : ColumnGeneration.None
                )
                {
                    Values = field.Values,
                }),
            ],
            PrimaryKey = Key,
        };
}

/// <summary>How an API is asked for a list in the order of one field.</summary>
/// <param name="Ascending">The query as it stands in an address, with <c>{field}</c> for the field: <c>sort={field}</c>.</param>
/// <param name="Descending">The same with the greatest first: <c>sort=-{field}</c>.</param>
/// <param name="Names">What the API calls the fields by which it orders, by their names here.</param>
public sealed record ApiOrder(string Ascending, string Descending, ImmutableSortedDictionary<string, string> Names)
{
    /// <summary>The query parameters for the order of a field; none where the API does not order by it.</summary>
    public ImmutableArray<KeyValuePair<string, string>> By(string field, bool descending)
    {
        var query = descending ? Descending : Ascending;
        return query.Length == 0 || !Names.TryGetValue(field, out var name)
            ? []
            :
            [
                .. query
                    .Split('&', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                    .Select(pair => pair.Replace("{field}", name, StringComparison.Ordinal).Split('=', 2))
                    .Select(pair => KeyValuePair.Create(pair[0], pair.ElementAtOrDefault(1) ?? "")),
            ];
    }
}

/// <summary>A field of an API's records.</summary>
/// <param name="Name">Its name: the members on the way to it, with dots.</param>
/// <param name="Pointer">The way to it in a record (RFC 6901).</param>
/// <param name="Type">What its values are.</param>
/// <param name="Nullable">Some records lack it, or have null there.</param>
public sealed record ApiField(string Name, string Pointer, FieldType Type, bool Nullable)
{
    /// <summary>The API writes numbers as texts there.</summary>
    public bool AsText { get; init; }

    /// <summary>A new record must have a value there.</summary>
    public bool Required { get; init; }

    /// <summary>Never sent: the API alone sets it.</summary>
    public bool ReadOnly { get; init; }

    /// <summary>What a sample of its values says of it.</summary>
    public Datasets.Drafting.ValueEvidence? Values { get; init; }
}

/// <summary>One request to an API. Its texts are templates: <c>${ formula }</c> stands for a value.</summary>
public sealed record ApiRequest
{
    /// <summary>GET, POST, PUT, PATCH or DELETE.</summary>
    public required string Method { get; init; }

    /// <summary>The path under the source's address, as a template whose values are percent-encoded.</summary>
    public required string Path { get; init; }

    /// <summary>Query parameters, in order.</summary>
    public ImmutableArray<ApiPair> Query { get; init; } = [];

    /// <summary>Headers beside those of the source.</summary>
    public ImmutableArray<ApiPair> Headers { get; init; } = [];

    /// <summary>What is sent.</summary>
    public ApiBody Body { get; init; } = new ApiBody.None();
}

/// <summary>A name and a template.</summary>
public sealed record ApiPair(string Name, string Value);

/// <summary>What a request sends. The content type follows from the kind.</summary>
public abstract record ApiBody
{
    private ApiBody() { }

    /// <summary>Nothing.</summary>
    public sealed record None : ApiBody;

    /// <summary>The written fields of the record as a JSON object.</summary>
    /// <param name="Under">The member under which the object stands; null where it is the whole body.</param>
    public sealed record Record(string? Under = null) : ApiBody;

    /// <summary>JSON whose values are written as JSON.</summary>
    public sealed record Json(string Text) : ApiBody;

    /// <summary>A form (application/x-www-form-urlencoded).</summary>
    public sealed record Form(ImmutableArray<ApiPair> Fields) : ApiBody;

    /// <summary>A form in parts (multipart/form-data).</summary>
    public sealed record Parts(ImmutableArray<ApiPair> Fields) : ApiBody;

    /// <summary>Plain text.</summary>
    public sealed record Plain(string Text) : ApiBody;

    /// <summary>A GraphQL query with variables, each a template whose value is written as JSON.</summary>
    public sealed record GraphQl(string Query, ImmutableArray<ApiPair> Variables) : ApiBody;
}

/// <summary>How the rest of a list is had.</summary>
public abstract record ApiPaging
{
    private ApiPaging() { }

    /// <summary>The answer holds all there is.</summary>
    public sealed record None : ApiPaging;

    /// <summary>Pages by number.</summary>
    /// <param name="Parameter">The query parameter of the number.</param>
    /// <param name="First">The number of the first page.</param>
    /// <param name="SizeParameter">The query parameter of the size; null where the API chooses it.</param>
    /// <param name="Size">Records a page.</param>
    public sealed record Number(string Parameter, int First, string? SizeParameter, int Size) : ApiPaging;

    /// <summary>From a record's number on.</summary>
    /// <param name="Parameter">The query parameter of that number.</param>
    /// <param name="SizeParameter">The query parameter of the size; null where the API chooses it.</param>
    /// <param name="Size">Records a page.</param>
    public sealed record Offset(string Parameter, string? SizeParameter, int Size) : ApiPaging;

    /// <summary>By a text that the answer gives for the next request.</summary>
    /// <param name="Parameter">The query parameter that takes it.</param>
    /// <param name="Pointer">Where it stands in the answer.</param>
    public sealed record Cursor(string Parameter, string Pointer) : ApiPaging;

    /// <summary>By the next page's address, which stands in the answer.</summary>
    /// <param name="Pointer">Where.</param>
    public sealed record Next(string Pointer) : ApiPaging;

    /// <summary>By the Link header (RFC 8288).</summary>
    public sealed record Link : ApiPaging;
}
