using Rostrum.Core.Imports;
using Rostrum.Core.OwnTables;

namespace Rostrum.Core.Tests.OwnTables;

/// <summary>What the columns of a file become, and how they are called.</summary>
public sealed class OwnFieldTests
{
    [Theory]
    [InlineData("12|7|-3", OwnType.WholeNumber)]
    [InlineData("007|012", OwnType.Text)]
    [InlineData("1.5|2", OwnType.Number)]
    [InlineData("0.5|0.25", OwnType.Number)]
    [InlineData("€ 1,250.00|€ 3.50", OwnType.Money)]
    [InlineData("yes|no|", OwnType.YesNo)]
    [InlineData("0|1|1", OwnType.WholeNumber)]
    [InlineData("2026-03-01|1 Apr 2026", OwnType.Date)]
    [InlineData("2026-03-01 14:30|2026-03-02 09:00", OwnType.Moment)]
    [InlineData("open|closed|open|open|closed|open", OwnType.Choice)]
    [InlineData("Kittiwake|Razorbill|Fulmar", OwnType.Text)]
    [InlineData("two\nlines|one", OwnType.LongText)]
    [InlineData("|", OwnType.Text)]
    public void A_column_becomes_a_field_that_takes_all_of_its_cells(string cells, OwnType type) =>
        Assert.Equal(type, OwnField.Guess("C", cells.Split('|'), new CellForm(false, DateOrder.DayMonthYear), Formats.British).Type);

    [Theory]
    [InlineData("Spare parts", "spare_parts")]
    [InlineData("Größe (cm)", "grosse_cm")]
    [InlineData("Ærø & Bodø", "aero_bodo")]
    [InlineData("2nd berth", "field_2nd_berth")]
    [InlineData("🚢", "field")]
    [InlineData("id", "id_2")]
    [InlineData("ORDER", "order")]
    public void A_name_is_readable_and_none_that_is_taken(string label, string name) =>
        Assert.Equal(name, OwnName.Of(label, "field", ["id"]));

    [Theory]
    [InlineData("€ 1,250.00|€ 3.50", "EUR")]
    [InlineData("$ 1.00|$ 2.00", null)]
    [InlineData("€ 1.00|£ 2.00", null)]
    public void Amounts_are_in_the_currency_whose_sign_they_have(string cells, string? currency) =>
        Assert.Equal(
            currency,
            OwnField.Guess("C", cells.Split('|'), new CellForm(false, DateOrder.DayMonthYear), Formats.British).Currency
        );

    [Fact]
    public void What_a_field_lacks_is_said()
    {
        Assert.NotNull(new OwnField(" ", OwnType.Text).Problem);
        Assert.NotNull(new OwnField("State", OwnType.Choice).Problem);
        Assert.NotNull(new OwnField("Vessel", OwnType.Relation).Problem);
        Assert.Null(new OwnField("State", OwnType.Choice) { Options = ["open"] }.Problem);
    }
}
