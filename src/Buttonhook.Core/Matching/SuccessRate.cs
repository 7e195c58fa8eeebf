namespace Buttonhook.Core.Matching;

/// <summary>What can be expected after some tries: a Beta(1 + successes, 1 + failures) posterior, from a flat prior (Bayes, 1763).</summary>
public static class SuccessRate
{
    /// <summary>The lower end of what can be expected: the 10 % quantile, so that nine times out of ten the true rate is above it. 0 to 1; with no tries 0.1.</summary>
    public static double LowerEnd(int successes, int tries) => Quantile(0.1, successes + 1, tries - successes + 1);

    /// <summary>The quantile of a Beta distribution with whole parameters of at least 1, by bisection to 1e-9.</summary>
    public static double Quantile(double probability, int alpha, int beta)
    {
        double low = 0,
            high = 1;
        while (high - low > 1e-9)
        {
            var middle = (low + high) / 2;
            if (Cumulative(middle, alpha, beta) < probability)
                low = middle;
            else
                high = middle;
        }
        return (low + high) / 2;
    }

    /// <summary>The Beta distribution function for whole parameters: the chance of at least <paramref name="alpha"/> successes in alpha + beta - 1 draws (Abramowitz and Stegun 26.5.24), summed in logarithms.</summary>
    public static double Cumulative(double x, int alpha, int beta)
    {
        if (x <= 0)
            return 0;
        if (x >= 1)
            return 1;
        var n = alpha + beta - 1;
        double sum = 0,
            logChoose = 0;
        for (var k = 0; k <= n; k++)
        {
            if (k > 0)
                logChoose += Math.Log((n - k + 1) / (double)k);
            if (k >= alpha)
                sum += Math.Exp(logChoose + k * Math.Log(x) + (n - k) * Math.Log(1 - x));
        }
        return Math.Min(1, sum);
    }
}
