using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

public class CardPlanTests
{
    [Theory]
    [InlineData(64, "58.2 GiB")]
    [InlineData(8, "7.3 GiB")]
    public void A_label_is_less_than_it_says_in_binary_units(int label, string binary) =>
        Assert.Equal(binary, Sizes.Binary(Sizes.CardBytes(label)));

    [Property]
    public bool Parts_add_up_to_the_card_when_the_image_fits(PositiveInt gigabytes)
    {
        var plan = CardPlan.For(Bench.ImageFor("quill-v"), gigabytes.Get % 2048 + 1);
        return !plan.Fits || (plan.ImageBytes + plan.FreeBytes == plan.CardBytes && plan.HasRoom == (plan.FreeBytes >= plan.UpdateBytes));
    }
}
