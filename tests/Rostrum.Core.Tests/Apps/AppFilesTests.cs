using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Files;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppFilesTests
{
    private static readonly ImmutableDictionary<SourceId, string> Sources = ImmutableDictionary<SourceId, string>.Empty.Add(
        Sample.Vessels.Source,
        "Fleet"
    );
    private static readonly KnownDatasets Known = new(
        ImmutableDictionary<string, SourceId>.Empty.Add("Fleet", Sample.Vessels.Source),
        [.. Sample.Catalogue.All]
    )
    {
        IsWorkspace = true,
    };

    private static AppFolder Written(AppDefinition app) =>
        AppFiles.Write(new PortableApp("fleet", new FrozenApp(app, [Sample.Defects, Sample.Vessels]), Sources));

    [Fact]
    public void An_app_is_read_back_as_it_was_written()
    {
        var read = Assert.IsType<AppReading.Done>(AppFiles.Read(Written(Sample.App), Known)).App;
        Assert.Equal(KindJson.Write(Sample.App), KindJson.Write(read.Frozen.App));
        Assert.Equal(
            KindJson.Write(Sample.Defects),
            KindJson.Write(read.Frozen.Datasets.Single(dataset => dataset.Id == Sample.Defects.Id))
        );
        Assert.Equal("fleet", read.Address);
    }

    [Law(300, Arbitrary = [typeof(AppEditTests)])]
    public void Whatever_was_edited_is_read_back_as_it_was_written_and_written_again_as_before(AppEditTests.MadeUp made)
    {
        var app = made.Edits.Aggregate(Sample.App, (before, edit) =>
            edit.Apply(before, Sample.Catalogue) is EditResult.Done done ? done.App : before
        );
        var folder = Written(app);
        var read = Assert.IsType<AppReading.Done>(AppFiles.Read(folder, Known)).App;
        Assert.Equal(KindJson.Write(app), KindJson.Write(read.Frozen.App));
        Assert.Equal(folder.Files, AppFiles.Write(read).Files);
    }

    [Law(1000)]
    public void Any_text_is_read_back_as_it_was_written(string? text, int? number)
    {
        text = (text ?? "").ReplaceLineEndings("\n");
        if (!text.IsNormalized() || text.Any(char.IsSurrogate))
        {
            return;
        }

        var panel = new TextPanel
        {
            Name = "words",
            Text = text,
            Heading = number?.ToString(System.Globalization.CultureInfo.InvariantCulture),
        };
        var app = new AppDefinition(
            "x",
            [
                new Page
                {
                    Address = "p",
                    Name = text,
                    Panels = [panel],
                },
            ]
        );
        var read = Assert.IsType<AppReading.Done>(AppFiles.Read(Written(app), Known)).App.Frozen.App;
        Assert.Equal(KindJson.Write(app), KindJson.Write(read));
    }

    [Theory]
    [InlineData("true")]
    [InlineData("null")]
    [InlineData("-12.5e3")]
    [InlineData("0x10")]
    [InlineData("- not a list")]
    [InlineData("a: b")]
    [InlineData(" blanks around ")]
    [InlineData("one\ntwo\n\nfour")]
    [InlineData("one\n  two")]
    [InlineData("ends with a break\n")]
    [InlineData("=IF(x = \"a\", 1, 2) # no comment")]
    [InlineData("\u0085\u2028\u0007")]
    public void Texts_that_look_like_something_else_stay_texts(string text) => Any_text_is_read_back_as_it_was_written(text, 1);

    [Fact]
    public void Files_are_readable_refer_by_name_and_say_only_what_is_unusual()
    {
        var page = Written(Sample.App).Files["pages/fleet.yaml"];
        Assert.StartsWith(
            "address: fleet\nname: Fleet\n",
            page.Replace("name: Fleet\naddress: fleet\n", "address: fleet\nname: Fleet\n", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
        Assert.Contains("dataset: vessels", page, StringComparison.Ordinal);
        Assert.DoesNotContain(Sample.Vessels.Id.ToString(), page, StringComparison.Ordinal);
        Assert.DoesNotContain("searchable: true", page, StringComparison.Ordinal);
        Assert.Contains("source: Fleet", Written(Sample.App).Files["datasets/vessels.yaml"], StringComparison.Ordinal);
    }

    [Fact]
    public void One_change_of_an_app_is_a_change_of_one_line()
    {
        var edit = new AppEdit.SetSetting("fleet", "ships", "width", "4");
        var after = Assert.IsType<EditResult.Done>(edit.Apply(Sample.App, Sample.Catalogue)).App;
        var (one, other) = (Written(Sample.App).Files, Written(after).Files);
        var file = Assert.Single(one.Keys, file => one[file] != other[file]);
        Assert.InRange(
            one[file].Split('\n').Except(other[file].Split('\n')).Count() + other[file].Split('\n').Except(one[file].Split('\n')).Count(),
            1,
            2
        );
    }

    [Fact]
    public void What_is_wrong_is_said_with_its_file_and_its_line()
    {
        var files = Written(Sample.App).Files;
        string Wrong(string file, Func<string, string> change)
        {
            var folder = AppFolder.Of(files.SetItem(file, change(files[file])));
            return Assert.Single(Assert.IsType<AppReading.Failed>(AppFiles.Read(folder, Known)).Problems).ToString();
        }

        var lines = files["pages/fleet.yaml"].Split('\n');
        var at = Array.FindIndex(lines, line => line.Contains("dataset: vessels", StringComparison.Ordinal)) + 1;
        Assert.Equal(
            $"pages/fleet.yaml:{at}: There is no dataset “boats” here.",
            Wrong("pages/fleet.yaml", text => text.Replace("dataset: vessels", "dataset: boats", StringComparison.Ordinal))
        );
        Assert.StartsWith("app.yaml:", Wrong("app.yaml", text => text + "colour: red\n"), StringComparison.Ordinal);
        Assert.Contains(
            "“colour” is not a name that is known here",
            Wrong("app.yaml", text => text + "colour: red\n"),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "There is no source “Navy” here",
            Assert
                .IsType<AppReading.Failed>(
                    AppFiles.Read(
                        AppFolder.Of(
                            files.SetItem(
                                "datasets/vessels.yaml",
                                files["datasets/vessels.yaml"].Replace("source: Fleet", "source: Navy", StringComparison.Ordinal)
                            )
                        ),
                        Known
                    )
                )
                .Problems[0]
                .Message,
            StringComparison.Ordinal
        );
        Assert.Matches("^pages/fleet.yaml:[1-9][0-9]*: ", Wrong("pages/fleet.yaml", text => text[..40] + "[\n" + text[40..]));

        var misspelt = AppFolder.Of(
            files.SetItem(
                "pages/fleet.yaml",
                files["pages/fleet.yaml"].Replace("ships.selected.defects", "ships.selectd.defects", StringComparison.Ordinal)
            )
        );
        var read = Assert.IsType<AppReading.Done>(AppFiles.Read(misspelt, Known));
        var problem = Assert.Single(AppFiles.Check(read, Sample.Anybody));
        Assert.Equal(Array.FindIndex(lines, line => line.Contains("ships.selected.defects", StringComparison.Ordinal)) + 1, problem.Line);
    }

    [Law(500)]
    public void Whatever_stands_in_a_file_is_read_or_refused_with_words(string? text, byte at)
    {
        var files = Written(Sample.App).Files;
        var page = files["pages/fleet.yaml"];
        var broken = page.Insert(at * page.Length / 256, text ?? "");
        Assert.True(
            AppFiles.Read(AppFolder.Of(files.SetItem("pages/fleet.yaml", broken)), Known)
                is AppReading.Done
                    or AppReading.Failed { Problems.IsEmpty: false }
        );
    }

    [Fact]
    public void A_folder_is_checked_by_itself_without_a_workspace()
    {
        var read = Assert.IsType<AppReading.Done>(AppFiles.Read(Written(Sample.App), KnownDatasets.None));
        Assert.Empty(AppFiles.Check(read, Sample.Anybody));
        Assert.Equal(Written(Sample.App).Files, AppFiles.Write(read.App).Files);
    }
}
