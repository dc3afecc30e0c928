using SkiaSharp;

namespace Rostrum.Web.Files;

/// <summary>Small pictures of pictures.</summary>
internal static class Thumbnails
{
    private const int Side = 320;
    private const int Quality = 80;

    // Four bytes a point: what is larger would take more memory than one picture may.
    private const long MostPoints = 50_000_000;

    /// <summary>As WebP, upright; null where the content is no picture, is broken, or has more points than one may have.</summary>
    public static byte[]? Of(Stream content)
    {
        using var codec = SKCodec.Create(content);
        if (codec is null || (long)codec.Info.Width * codec.Info.Height is 0 or > MostPoints)
        {
            return null;
        }

        using var picture = SKBitmap.Decode(codec);
        if (picture is null)
        {
            return null;
        }

        var turned = codec.EncodedOrigin is var origin && origin >= SKEncodedOrigin.LeftTop;
        var (width, height) = turned ? (picture.Height, picture.Width) : (picture.Width, picture.Height);
        var scale = Math.Min(1f, Side / (float)Math.Max(width, height));
        using var surface = SKSurface.Create(new SKImageInfo(Math.Max(1, (int)(width * scale)), Math.Max(1, (int)(height * scale))));
        surface.Canvas.Scale(scale);
        surface.Canvas.Concat(Upright(origin, width, height));
        using (var image = SKImage.FromBitmap(picture))
        {
            surface.Canvas.DrawImage(image, 0, 0, new SKSamplingOptions(SKFilterMode.Linear, SKMipmapMode.Linear));
        }

        using var small = surface.Snapshot();
        using var encoded = small.Encode(SKEncodedImageFormat.Webp, Quality);
        return encoded?.ToArray();
    }

    // As cameras note how they were held (Exif 2.3, tag 274).
    private static SKMatrix Upright(SKEncodedOrigin origin, int width, int height) =>
        origin switch
        {
            SKEncodedOrigin.TopRight => new SKMatrix(-1, 0, width, 0, 1, 0, 0, 0, 1),
            SKEncodedOrigin.BottomRight => new SKMatrix(-1, 0, width, 0, -1, height, 0, 0, 1),
            SKEncodedOrigin.BottomLeft => new SKMatrix(1, 0, 0, 0, -1, height, 0, 0, 1),
            SKEncodedOrigin.LeftTop => new SKMatrix(0, 1, 0, 1, 0, 0, 0, 0, 1),
            SKEncodedOrigin.RightTop => new SKMatrix(0, -1, width, 1, 0, 0, 0, 0, 1),
            SKEncodedOrigin.RightBottom => new SKMatrix(0, -1, width, -1, 0, height, 0, 0, 1),
            SKEncodedOrigin.LeftBottom => new SKMatrix(0, 1, 0, -1, 0, height, 0, 0, 1),
            _ => SKMatrix.Identity,
        };
}
