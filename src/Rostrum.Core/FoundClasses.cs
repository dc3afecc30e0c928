namespace Rostrum.Core;

/// <summary>Finds the classes of a family: that one derives from its base is all it takes to be known.</summary>
public static class FoundClasses
{
    /// <summary>One of each class that derives from a base, in the base's assembly. They have a constructor without parameters.</summary>
    /// <typeparam name="T">The base.</typeparam>
    public static IEnumerable<T> Of<T>()
        where T : class =>
        typeof(T)
            .Assembly.GetTypes()
            .Where(type => type is { IsAbstract: false } && type.IsAssignableTo(typeof(T)))
            .Select(type => (T)Activator.CreateInstance(type)!);
}
