using FsCheck.Xunit;

namespace Buttonhook.Core.Tests;

public sealed class DirectionsTests
{
    [Theory]
    [InlineData("invoice\u202Egnp.exe", "invoice¤gnp.exe")]
    [InlineData("\u2067\u200F", "¤¤")]
    [InlineData("plain, and שלום", "plain, and שלום")]
    public void What_turns_text_round_is_a_mark(string text, string shown) => Assert.Equal(shown, Directions.Shown(text));

    [Property]
    public bool Nothing_else_changes_and_the_length_stays(string? text)
    {
        var shown = Directions.Shown(text ?? "");
        return shown.Length == (text ?? "").Length && shown == Directions.Shown(shown);
    }
}
