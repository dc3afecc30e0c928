using Microsoft.AspNetCore.Http.Features;
using Rostrum.Core.Datasets;
using Rostrum.Web.Imports;

namespace Rostrum.Web.Files;

/// <summary>Files may be larger than what else is sent: from people who are signed in.</summary>
internal static class UploadSize
{
    /// <summary>So large may any file be, in bytes.</summary>
    public const long Largest = FieldType.Files.LimitOfMegabytes * 1024L * 1024;

    private const long RoomForTheForm = 1024 * 1024;

    private static readonly Dictionary<string, long> Limits = new(StringComparer.Ordinal)
    {
        ["ImportRows"] = FileImports.LargestFile + RoomForTheForm,
        ["Upload"] = Largest + RoomForTheForm,
    };

    public static void UseUploadSize(this IApplicationBuilder application) =>
        application.Use(
            (context, next) =>
            {
                if (
                    HttpMethods.IsPost(context.Request.Method)
                    && Limits.TryGetValue(context.Request.Query["handler"].ToString(), out var most)
                    && context.User.Identity?.IsAuthenticated == true
                    && context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit
                )
                {
                    limit.MaxRequestBodySize = most;
                }

                return next(context);
            }
        );
}
