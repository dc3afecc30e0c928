using FsCheck.Xunit;
using Rostrum.Core.Apps.Actions;

namespace Rostrum.Core.Tests.Apps;

public sealed class WebAddressTests
{
    [Theory]
    [InlineData("a@b.example", "", "", "mailto:a@b.example")]
    [InlineData("a@b.example; c@d.example", "", "", "mailto:a@b.example,c@d.example")]
    [InlineData("a@b.example", "Fee & \"cost\"?", "", "mailto:a@b.example?subject=Fee%20%26%20%22cost%22%3F")]
    [InlineData(
        "a@b.example",
        "one\nline",
        "first\nsecond\r\nthird & last",
        "mailto:a@b.example?subject=one%20line&body=first%0D%0Asecond%0D%0Athird%20%26%20last"
    )]
    [InlineData("a@b.example?bcc=spy@d.example", "", "", "mailto:a@b.example%3Fbcc%3Dspy@d.example")]
    [InlineData("", "Grüße", "", "mailto:?subject=Gr%C3%BC%C3%9Fe")]
    public void An_e_mail_is_escaped_as_the_standard_says(string to, string subject, string body, string address) =>
        Assert.Equal(address, WebAddress.Mail(to, subject: subject, body: body));

    [Fact]
    public void Copies_stand_in_parts_of_their_own() =>
        Assert.Equal(
            "mailto:a@b.example?cc=c@d.example,e@f.example&bcc=g@h.example",
            WebAddress.Mail("a@b.example", "c@d.example, e@f.example", "g@h.example")
        );

    [Property]
    public void Whatever_a_body_says_comes_back_out_of_the_address(string? text)
    {
        var body = string.Concat((text ?? "").Where(letter => !char.IsSurrogate(letter))).ReplaceLineEndings("\r\n");
        var address = WebAddress.Mail("a@b.example", body: body);
        Assert.True(Uri.IsWellFormedUriString(address, UriKind.Absolute));
        Assert.Equal(body, body.Length == 0 ? "" : Uri.UnescapeDataString(address["mailto:a@b.example?body=".Length..]));
    }

    [Theory]
    [InlineData("https://example.org/a?b=c", true)]
    [InlineData("http://10.0.0.1:8080", true)]
    [InlineData("mailto:a@b.example", true)]
    [InlineData("tel:+4755500000", true)]
    [InlineData("javascript:alert(1)", false)]
    [InlineData("data:text/html,<script>", false)]
    [InlineData("file:///etc/passwd", false)]
    [InlineData("/apps/maintenance", false)]
    [InlineData("", false)]
    public void Only_what_a_browser_may_be_sent_to_is_safe(string address, bool safe) => Assert.Equal(safe, WebAddress.IsSafe(address));
}
