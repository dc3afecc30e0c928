using FsCheck.Xunit;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppLookTests
{
    [Theory]
    [InlineData("#000000", "#ffffff", 21)]
    [InlineData("#777777", "#ffffff", 4.48)]
    [InlineData("#1b5e50", "#ffffff", 7.58)]
    [InlineData("#abcdef", "#abcdef", 1)]
    public void Contrast_is_what_the_guidelines_say(string one, string other, double ratio)
    {
        Assert.Equal(ratio, Colour.Parse(one)!.ContrastTo(Colour.Parse(other)!), 0.02);
        Assert.Equal(Colour.Parse(one)!.ContrastTo(Colour.Parse(other)!), Colour.Parse(other)!.ContrastTo(Colour.Parse(one)!));
    }

    [Theory]
    [InlineData("1b5e50")]
    [InlineData("#1b5e5")]
    [InlineData("#1b5e5g")]
    [InlineData("red")]
    [InlineData("#1b5e50;}")]
    [InlineData("")]
    [InlineData(null)]
    public void What_is_no_colour_is_none(string? text) => Assert.Null(Colour.Parse(text));

    [Law(500)]
    public void Whatever_colour_is_given_it_can_be_read_by_day_and_in_the_dark(byte red, byte green, byte blue)
    {
        var colours = new AppLook { Accent = new Colour(red, green, blue).ToString() }
            .Colours!
            .Value;
        Assert.True(colours.Light.Accent.ContrastTo(Colour.LightPaper) >= Colour.LeastContrast);
        Assert.True(colours.Light.Accent.ContrastTo(Colour.LightSheet) >= Colour.LeastContrast);
        Assert.True(colours.Dark.Accent.ContrastTo(Colour.DarkSheet) >= Colour.LeastContrast);
        Assert.True(colours.Light.Accent.ContrastTo(colours.Light.Wash) >= Colour.LeastContrast);
        Assert.True(colours.Dark.Accent.ContrastTo(colours.Dark.Wash) >= Colour.LeastContrast);
        Assert.True(colours.Light.On.ContrastTo(colours.Light.Accent) >= Colour.LeastContrast);
        Assert.True(colours.Dark.On.ContrastTo(colours.Dark.Accent) >= Colour.LeastContrast);
    }

    [Fact]
    public void A_colour_that_cannot_be_read_is_a_problem_with_its_correction()
    {
        var pale = Assert.IsType<EditResult.Done>(new AppEdit.SetApp("accent", "#ffe680").Apply(Sample.App, Sample.Catalogue));
        var problem = Assert.Single(AppProblems.Of(pale.App, Sample.Catalogue, Sample.Anybody));
        Assert.StartsWith("The colour #ffe680 has a contrast of 1.2 to the paper", problem.Message, StringComparison.Ordinal);
        Assert.Empty(
            AppProblems.Of(
                Assert.IsType<EditResult.Done>(problem.Correction!.Apply(pale.App, Sample.Catalogue)).App,
                Sample.Catalogue,
                Sample.Anybody
            )
        );
        Assert.Equal(Sample.App, Assert.IsType<EditResult.Done>(pale.Inverse.Apply(pale.App, Sample.Catalogue)).App);
    }

    [Theory]
    [InlineData("accent", "red")]
    [InlineData("logo", "https://elsewhere.example/logo.png")]
    [InlineData("logo", "data:text/html;base64,PGI+")]
    [InlineData("logo", "data:image/png;base64,not base64")]
    [InlineData("corners", "wavy")]
    public void What_does_not_fit_is_refused(string key, string value) =>
        Assert.IsType<EditResult.Refused>(new AppEdit.SetApp(key, value).Apply(Sample.App, Sample.Catalogue));

    [Fact]
    public void A_new_look_is_told_in_a_sentence()
    {
        var app = Assert.IsType<EditResult.Done>(new AppEdit.SetApp("corners", "round").Apply(Sample.App, Sample.Catalogue)).App;
        Assert.Equal(
            ["The app: corners “default” → “round”"],
            AppComparison
                .Between(FrozenApp.Of(Sample.App, Sample.Catalogue), FrozenApp.Of(app, Sample.Catalogue))
                .Select(difference => difference.Says)
        );
    }

    [Fact]
    public void An_icon_that_does_not_exist_is_a_problem()
    {
        var app = Sample.App with
        {
            Look = new AppLook { Icon = "no-such" },
            Pages = [Sample.App.Pages[0] with { Icon = "neither" }, .. Sample.App.Pages.Skip(1)],
        };
        Assert.Equal(
            ["There is no icon “no-such”: choose another, or none.", "There is no icon “neither”: choose another, or none."],
            AppProblems.Of(app, Sample.Catalogue, Sample.Anybody).Select(problem => problem.Message)
        );
    }
}
