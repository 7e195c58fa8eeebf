using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests;

public class SuccessRateTests
{
    [Theory]
    [InlineData(9, 9, 0.7943)] // 0.1^(1/10)
    [InlineData(2, 2, 0.4642)] // 0.1^(1/3)
    [InlineData(0, 0, 0.1)]
    [InlineData(0, 1, 0.0513)] // 1 - 0.9^(1/2)
    public void The_lower_end_is_the_tenth_percentile(int successes, int tries, double expected) =>
        Assert.Equal(expected, SuccessRate.LowerEnd(successes, tries), 4);

    [Property]
    public bool The_quantile_inverts_the_distribution(PositiveInt a, PositiveInt b)
    {
        var (alpha, beta) = (a.Get % 60 + 1, b.Get % 60 + 1);
        return Math.Abs(SuccessRate.Cumulative(SuccessRate.Quantile(0.1, alpha, beta), alpha, beta) - 0.1) < 1e-6;
    }

    [Property]
    public bool One_more_success_never_lowers_it_and_one_more_failure_never_raises_it(NonNegativeInt s, NonNegativeInt f)
    {
        var (successes, tries) = (s.Get % 50, s.Get % 50 + f.Get % 50);
        var now = SuccessRate.LowerEnd(successes, tries);
        return SuccessRate.LowerEnd(successes + 1, tries + 1) >= now && SuccessRate.LowerEnd(successes, tries + 1) <= now;
    }
}
