using System.Collections.Frozen;
using System.Reflection;
using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.Live;

/// <summary>
/// Answers one thing that can be asked of a page beside showing it: <c>?handler=Save</c>. It stands in the folder of whatever it is about,
/// and is found by being there.
/// </summary>
internal abstract class LiveHandler
{
    private static readonly FrozenDictionary<(string Method, string Name), Type> Known = typeof(LiveHandler)
        .Assembly.GetTypes()
        .Where(type => type is { IsAbstract: false } && type.IsAssignableTo(typeof(LiveHandler)))
        .ToFrozenDictionary(type => type.GetCustomAttribute<HandlesAttribute>()!.Key);

    /// <summary>Who answers; null where nobody does.</summary>
    public static LiveHandler? Find(string method, string name, IServiceProvider services) =>
        Known.TryGetValue((HttpMethods.IsHead(method) ? HttpMethods.Get : method, name), out var type)
            ? (LiveHandler)ActivatorUtilities.CreateInstance(services, type)
            : null;

    /// <summary>The answer.</summary>
    /// <param name="page">The page, opened for whoever asks.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public abstract Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation);
}

/// <summary>What a handler answers.</summary>
[AttributeUsage(AttributeTargets.Class)]
internal sealed class HandlesAttribute(string method, string name) : Attribute
{
    public string Method { get; } = method;

    public string Name { get; } = name;

    public (string Method, string Name) Key => (Method, Name);
}
