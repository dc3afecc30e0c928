using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>What is typed into a grid and not saved yet can be taken back step by step, and done again.</summary>
public sealed class UnsavedChangesTests
{
    private static UnsavedChanges Typed(UnsavedChanges changes, string row, string field, string? text, string? original = "was") =>
        changes.Typed([(row, field, text is null ? null : new UnsavedCell(text, original))]);

    [Fact]
    public void An_edit_keeps_the_value_with_which_it_began_and_one_that_is_as_it_was_is_none()
    {
        var once = Typed(UnsavedChanges.None, "1", "title", "a", "was");
        var twice = Typed(once, "1", "title", "b", "a");
        Assert.Equal(new UnsavedCell("b", "was"), twice.Rows["1"].Cells["title"]);
        Assert.True(Typed(twice, "1", "title", null).IsEmpty);
        Assert.Equal((1, 0, 0), twice.Counts);
        Assert.Same(twice, Typed(twice, "1", "title", "b"));
    }

    [Fact]
    public void New_rows_have_keys_of_their_own_and_are_gone_once_they_are_deleted()
    {
        var (added, keys) = UnsavedChanges.None.WithNew(2);
        Assert.All(keys, key => Assert.True(UnsavedChanges.IsNewKey(key)));
        var marked = added.Marked([keys[0], "7"], deleted: true);
        Assert.Equal((0, 1, 1), marked.Counts);
        Assert.Equal((0, 1, 0), marked.Marked(["7"], deleted: false).Counts);
        Assert.DoesNotContain(keys[0], marked.Rows.Keys);
        Assert.NotEqual(keys[1], marked.WithNew(1).Keys[0]);
    }

    [Fact]
    public void What_is_typed_while_it_is_saved_is_left_and_what_a_workflow_does_not_save_is_as_it_was()
    {
        var typed = Typed(Typed(Typed(UnsavedChanges.None, "1", "title", "a"), "1", "due", "b"), "2", "title", "c");
        var (grown, keys) = typed.WithNew(1);
        grown = Typed(grown, keys[0], "title", "d", null);
        var handed = grown.HandedTo(7, grown.Rows);
        var later = Typed(Typed(handed, "1", "due", "later"), keys[0], "due", "later", null);

        var saved = later.Without(grown.Rows.Select(row => (row.Key, row.Value, row.Key == keys[0] ? "9" : null)));
        Assert.Equal(["1", "9"], saved.Rows.Keys);
        Assert.Equal(new UnsavedCell("later", "was"), Assert.Single(saved.Rows["1"].Cells).Value);
        Assert.False(saved.Rows["9"].IsNew);

        Assert.True(grown.Has(handed.Handed!.Rows));
        Assert.False(later.Has(grown.Rows));
        Assert.False(UnsavedChanges.None.Has(grown.Rows));
        Assert.True(handed.Settled(saved: true).IsNothing);
        Assert.Equal(["1"], later.Settled(saved: true).Rows.Keys);
        Assert.Equal(later.Rows, later.Settled(saved: false).Rows);
        Assert.Null(later.Settled(saved: false).Handed);
    }

    [Law(1_000)]
    public Property Undo_after_each_step_is_where_it_began_and_redo_where_it_was() =>
        Prop.ForAll((from seed in Gen.Choose(0, int.MaxValue) select seed).ToArbitrary(), seed =>
        {
            var random = new Random(seed);
            var states = new List<UnsavedChanges> { UnsavedChanges.None };
            for (var steps = random.Next(1, 12); steps > 0; steps--)
            {
                var now = states[^1];
                var row = $"{random.Next(1, 4)}";
                var next = random.Next(0, 4) switch
                {
                    0 => now.Marked([row], random.Next(0, 2) == 0),
                    1 => now.WithNew(random.Next(1, 3)).After,
                    2 => Typed(now, row, $"f{random.Next(0, 2)}", null),
                    _ => Typed(now, row, $"f{random.Next(0, 2)}", $"{random.Next(0, 9)}"),
                };
                if (next.Past.Length > now.Past.Length)
                {
                    states.Add(next);
                }
            }

            var back = states[^1];
            for (var at = states.Count - 2; at >= 0; at--)
            {
                back = back.Undone();
                Assert.Equal(Said(states[at]), Said(back));
            }

            for (var at = 1; at < states.Count; at++)
            {
                back = back.Redone();
                Assert.Equal(Said(states[at]), Said(back));
            }

            // As the store keeps it.
            Assert.Equal(Said(back.Undone()), Said(KindJson.Read<UnsavedChanges>(KindJson.Write(back))!.Undone()));
        });

    private static string Said(UnsavedChanges changes) => KindJson.Write(changes.Rows);
}
