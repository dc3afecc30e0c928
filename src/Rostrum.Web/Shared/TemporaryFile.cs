namespace Rostrum.Web.Shared;

/// <summary>A file that is gone once it is closed.</summary>
internal static class TemporaryFile
{
    public static FileStream Create() =>
        new(
            Path.Combine(Path.GetTempPath(), Path.GetRandomFileName()),
            FileMode.CreateNew,
            FileAccess.ReadWrite,
            FileShare.None,
            64 * 1024,
            FileOptions.DeleteOnClose | FileOptions.Asynchronous
        );
}
