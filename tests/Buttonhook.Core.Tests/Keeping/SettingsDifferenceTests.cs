using Buttonhook.Core.Keeping;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Keeping;

public class SettingsDifferenceTests
{
    private static WorkingSettings With(params (string Id, string? Value)[] settings) =>
        new(
            WorkingSettings.FormatName,
            "Quince",
            [.. settings.Select(s => new Setting(s.Id, SettingNames.Of(s.Id), s.Value, Standing.Claimed, "x"))],
            [],
            null,
            "",
            null,
            null
        );

    private static IReadOnlyList<string> Says(WorkingSettings a, WorkingSettings b) => [.. SettingsDifference.Of(a, b).Select(d => d.Says)];

    [Fact]
    public void The_same_differs_in_nothing() => Assert.Empty(SettingsDifference.Of(Runs.Settings(), Runs.Settings()));

    [Fact]
    public void A_difference_names_both_sides_in_the_order_of_the_work()
    {
        var before = With(("system.kernel", "6.6.30"), ("supply.name", "5 V, 3 A"), ("card.label", null));
        var after = With(("supply.name", "5 V, 2 A"), ("system.kernel", "6.6.31"), ("card.label", "16 GB"));
        Assert.Equal(
            ["Card: not known before, 16 GB now.", "Supply: 5 V, 3 A before, 5 V, 2 A now.", "Kernel: 6.6.30 before, 6.6.31 now."],
            Says(before, after)
        );
    }

    [Theory]
    [InlineData("40.0 s", "41.5 s", null)]
    [InlineData("1.0 s", "2.5 s", null)]
    [InlineData("40.0 s", "70.0 s", "Login reached after 70.0 s instead of 40.0 s: slower.")]
    [InlineData("70.0 s", "40.0 s", "Login reached after 40.0 s instead of 70.0 s: faster.")]
    public void Times_differ_when_one_is_really_longer(string before, string after, string? says) =>
        Assert.Equal(says is null ? [] : [says], Says(With(("time.login", before)), With(("time.login", after))));

    [Fact]
    public void Several_of_a_kind_have_no_order()
    {
        var before = With(("network.address:1", "10.0.0.1"), ("network.address:2", "10.0.0.2"));
        Assert.Empty(Says(before, With(("network.address:1", "10.0.0.2"), ("network.address:2", "10.0.0.1"))));
        Assert.Equal(
            ["Address: 10.0.0.1 before, 10.0.0.3 now."],
            Says(before, With(("network.address:1", "10.0.0.3"), ("network.address:2", "10.0.0.2")))
        );
    }

    [Fact]
    public void Files_differ_by_their_first_line_that_does()
    {
        var before = With() with { Files = [new("/cmdline.txt", "a\nroot=X\n"), new("/gone", "x")] };
        var after = With() with { Files = [new("/cmdline.txt", "a\nroot=Y\n")] };
        Assert.Equal(["/cmdline.txt: line 2 “root=X” before, “root=Y” now.", "/gone: written only before."], Says(before, after));
    }

    [Fact]
    public void A_boot_that_says_less_is_no_regression_and_a_new_kernel_is_one()
    {
        var kept = Runs.Settings();
        Assert.Empty(SettingsDifference.Regression(kept, SettingsMaker.Of(Runs.Of("initrd-corrupt"))));
        Assert.Equal(
            ["system.command-line", "system.root"],
            SettingsDifference.Regression(kept, SettingsMaker.Of(Runs.Of("root-not-found"))).Select(d => d.Kind)
        );
        var now = kept with { Settings = [.. kept.Settings.Select(s => s.Id == "system.kernel" ? s with { Value = "5.10" } : s)] };
        Assert.Equal("system.kernel", Assert.Single(SettingsDifference.Regression(kept, now)).Kind);
    }

    [Property]
    public bool Differences_are_the_same_from_both_sides(string?[] one, string?[] other)
    {
        WorkingSettings Made(string?[] values) => With([.. values.Take(30).Select((v, n) => ($"more.quirk:{n + 1}", v))]);
        var (a, b) = (Made(one), Made(other));
        var there = SettingsDifference.Of(a, b);
        var back = SettingsDifference.Of(b, a);
        return there.Select(d => (d.Kind, d.Before, d.After)).SequenceEqual(back.Select(d => (d.Kind, d.After, d.Before)))
            && SettingsDifference.Of(a, a).Count == 0;
    }
}
