using System.Collections.Frozen;
using System.Reflection;

namespace Rostrum.Core.Apps;

/// <summary>Finds the classes that declare what kind they are: that they do is all it takes to be known.</summary>
internal static class DeclaredKinds
{
    /// <summary>What each class says of itself in its static property <c>Kind</c>.</summary>
    /// <typeparam name="TKind">What they say.</typeparam>
    /// <param name="declares">The interface of those that do.</param>
    /// <param name="named">Gives what a class says the name of the class.</param>
    public static FrozenDictionary<Type, TKind> Of<TKind>(Type declares, Func<TKind, string, TKind> named) =>
        typeof(DeclaredKinds)
            .Assembly.GetTypes()
            .Where(type => type is { IsAbstract: false } && type.IsAssignableTo(declares))
            .ToFrozenDictionary(
                type => type,
                type =>
                    named(
                        (TKind)type.GetProperty("Kind", BindingFlags.Public | BindingFlags.Static)!.GetValue(null)!,
                        KindJson.NameOf(type)
                    )
            );
}
