using System.Text;
using FsCheck;
using Rostrum.Core.Files;

namespace Rostrum.Core.Tests.Files;

/// <summary>What a file is, its content says.</summary>
public sealed class MediaTypesTests
{
    [Theory]
    [InlineData("89504E470D0A1A0A0000", "a.txt", "image/png")]
    [InlineData("FFD8FFE000104A464946", "a.png", "image/jpeg")]
    [InlineData("4749463839610100", "a", "image/gif")]
    [InlineData("52494646000000005745425056503820", "a", "image/webp")]
    [InlineData("52494646000000005741564566", "a", "audio/wav")]
    [InlineData("0000001C6674797061766966", "a", "image/avif")]
    [InlineData("00000018667479706D703432", "a", "video/mp4")]
    [InlineData("1A45DFA39F42", "a", "video/webm")]
    [InlineData("255044462D312E37", "a.exe", "application/pdf")]
    [InlineData("504B030414000600", "a.xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")]
    [InlineData("504B030414000600", "a.png", "application/zip")]
    [InlineData("4D5A90000300", "a.png", "application/octet-stream")]
    [InlineData("0102030405", "a.txt", "application/octet-stream")]
    [InlineData("C328", "a.txt", "application/octet-stream")]
    public void Bytes_tell_it_whatever_the_name_says(string bytes, string name, string type) =>
        Assert.Equal(type, MediaTypes.Of(Convert.FromHexString(bytes), name));

    [Theory]
    [InlineData("plain words", "text/plain")]
    [InlineData("a < b", "text/plain")]
    [InlineData("  <!DOCTYPE html><p>", "text/html")]
    [InlineData("\uFEFF<script>alert(1)</script>", "text/html")]
    [InlineData("<?xml version='1.0'?><svg/>", "image/svg+xml")]
    [InlineData("<?xml version='1.0'?><list/>", "application/xml")]
    public void Text_is_told_from_mark_up(string text, string type) =>
        Assert.Equal(type, MediaTypes.Of(Encoding.UTF8.GetBytes(text), "a.txt"));

    [Law(1_000)]
    public void What_a_browser_shows_is_never_mark_up(byte[] bytes) =>
        Assert.DoesNotContain(MediaTypes.Of(bytes ?? [], "a.svg"), new[] { "image/svg+xml", "text/html" }.Where(MediaTypes.IsShown));

    [Fact]
    public void A_text_cut_in_the_middle_of_a_letter_is_text() => Assert.Equal("text/plain", MediaTypes.Of([.. "abc"u8, 0xC3], "a"));
}
