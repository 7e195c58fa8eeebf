namespace Buttonhook.Core;

/// <summary>What can be expected after some tries: a Beta(1 + successes, 1 + failures) posterior, from a flat prior (Bayes, 1763). Tries may be weighed, so they need not be whole.</summary>
public static class SuccessRate
{
    /// <summary>The lower end of what can be expected: the 10 % quantile, so that nine times out of ten the true rate is above it. 0 to 1; with no tries 0.1.</summary>
    public static double LowerEnd(double successes, double tries) => tries == 0 ? 0.1 : Quantile(0.1, successes + 1, tries - successes + 1);

    /// <summary>The quantile of a Beta distribution with parameters of at least 1, by bisection to 1e-7.</summary>
    public static double Quantile(double probability, double alpha, double beta)
    {
        double low = 0,
            high = 1;
        while (high - low > 1e-7)
        {
            var middle = (low + high) / 2;
            if (Cumulative(middle, alpha, beta) < probability)
                low = middle;
            else
                high = middle;
        }
        return (low + high) / 2;
    }

    /// <summary>The Beta distribution function (the regularised incomplete beta function) by its continued fraction (Abramowitz and Stegun 26.5.8), evaluated as Lentz does.</summary>
    public static double Cumulative(double x, double alpha, double beta)
    {
        if (x <= 0)
            return 0;
        if (x >= 1)
            return 1;
        var front = Math.Exp(LogGamma(alpha + beta) - LogGamma(alpha) - LogGamma(beta) + alpha * Math.Log(x) + beta * Math.Log(1 - x));
        return x < (alpha + 1) / (alpha + beta + 2)
            ? front * Fraction(x, alpha, beta) / alpha
            : 1 - front * Fraction(1 - x, beta, alpha) / beta;
    }

    private static double Fraction(double x, double a, double b)
    {
        const double tiny = 1e-300;
        double c = 1,
            d = 1 - (a + b) * x / (a + 1);
        d = 1 / (Math.Abs(d) < tiny ? tiny : d);
        var value = d;
        for (var m = 1; m <= 300; m++)
        {
            var even = m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m));
            d = 1 / Safe(1 + even * d);
            c = Safe(1 + even / c);
            value *= d * c;
            var odd = -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1));
            d = 1 / Safe(1 + odd * d);
            c = Safe(1 + odd / c);
            var step = d * c;
            value *= step;
            if (Math.Abs(step - 1) < 1e-12)
                break;
        }
        return value;
        static double Safe(double v) => Math.Abs(v) < tiny ? tiny : v;
    }

    /// <summary>The logarithm of the gamma function (Lanczos 1964, g = 7), for values above 0.5.</summary>
    private static double LogGamma(double x)
    {
        ReadOnlySpan<double> c =
        [
            0.99999999999980993,
            676.5203681218851,
            -1259.1392167224028,
            771.32342877765313,
            -176.61502916214059,
            12.507343278686905,
            -0.13857109526572012,
            9.9843695780195716e-6,
            1.5056327351493116e-7,
        ];
        x -= 1;
        var sum = c[0];
        for (var i = 1; i < c.Length; i++)
            sum += c[i] / (x + i);
        var t = x + 7.5;
        return 0.5 * Math.Log(2 * Math.PI) + (x + 0.5) * Math.Log(t) - t + Math.Log(sum);
    }
}
