using System.Text.Json;
using Rostrum.Core.Apis;

namespace Rostrum.Web.Build.Sources.Requests;

/// <summary>A piece of an answer, as it is drawn.</summary>
/// <param name="Here">The page's address.</param>
/// <param name="Element">The piece.</param>
/// <param name="Name">Its member's name; null within a list.</param>
/// <param name="Pointer">The way to it.</param>
/// <param name="Depth">How far in it stands.</param>
/// <param name="Chosen">The pointer of the list that is taken; null where none is.</param>
internal sealed record JsonPart(string Here, JsonElement Element, string? Name, string Pointer, int Depth, string? Chosen)
{
    private const int Shown = 3;
    private const int Deepest = 8;
    private const int LongestText = 120;

    /// <summary>What stands within it, as far as it is drawn.</summary>
    public IEnumerable<JsonPart> Parts =>
        Depth >= Deepest ? []
        : Element.ValueKind is JsonValueKind.Object
            ? Element
                .EnumerateObject()
                .Select(member =>
                    this with
                    {
                        Element = member.Value,
                        Name = member.Name,
                        Pointer = JsonPointer.Into(Pointer, member.Name),
                        Depth = Depth + 1,
                    }
                )
        : Element.ValueKind is JsonValueKind.Array
            ? Element
                .EnumerateArray()
                .Take(Shown)
                .Select((element, at) => this with { Element = element, Name = null, Pointer = $"{Pointer}/{at}", Depth = Depth + 1 })
        : [];

    /// <summary>It is a list of records.</summary>
    public bool IsList =>
        Element.ValueKind is JsonValueKind.Array
        && Element.GetArrayLength() > 0
        && Element.EnumerateArray().All(element => element.ValueKind is JsonValueKind.Object);

    /// <summary>How many elements are not drawn.</summary>
    public int Left => Element.ValueKind is JsonValueKind.Array ? Math.Max(0, Element.GetArrayLength() - Shown) : 0;

    /// <summary>A value by itself.</summary>
    public string? Value =>
        Element.ValueKind is JsonValueKind.Object or JsonValueKind.Array ? null
        : Element.GetRawText() is { Length: > LongestText } text ? text[..LongestText] + "…"
        : Element.GetRawText();
}
