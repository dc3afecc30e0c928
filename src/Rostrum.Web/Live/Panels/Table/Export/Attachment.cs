using Microsoft.Net.Http.Headers;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>What is said of an answer that is kept as a file.</summary>
internal static class Attachment
{
    public static void SaysAttachment(this HttpResponse response, string mediaType, string name)
    {
        var disposition = new ContentDispositionHeaderValue("attachment");
        disposition.SetHttpFileName(name);
        (response.ContentType, response.Headers.ContentDisposition) = (mediaType, disposition.ToString());
    }
}
