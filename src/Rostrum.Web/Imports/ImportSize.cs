using Microsoft.AspNetCore.Http.Features;

namespace Rostrum.Web.Imports;

/// <summary>Files to be imported may be larger than what else is sent: from people who are signed in.</summary>
internal static class ImportSize
{
    private const long RoomForTheForm = 1024 * 1024;

    public static void UseImportSize(this IApplicationBuilder application) =>
        application.Use(
            (context, next) =>
            {
                if (
                    HttpMethods.IsPost(context.Request.Method)
                    && context.Request.Query["handler"] == "ImportRows"
                    && context.User.Identity?.IsAuthenticated == true
                    && context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit
                )
                {
                    limit.MaxRequestBodySize = FileImports.LargestFile + RoomForTheForm;
                }

                return next(context);
            }
        );
}
