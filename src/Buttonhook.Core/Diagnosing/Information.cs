namespace Buttonhook.Core.Diagnosing;

/// <summary>What a question tells of a ranking, in bits (Shannon 1948).</summary>
internal static class Information
{
    /// <summary>Entropy of shares that add up to 1.</summary>
    public static double Entropy(IEnumerable<double> shares) => -shares.Where(p => p > 0).Sum(p => p * Math.Log2(p));

    /// <summary>What a question is expected to tell of ranked causes, in bits.</summary>
    public static double Expected(IReadOnlyList<RankedCause> causes, Question question)
    {
        var shares = causes.Select(c => question.Expected(c.Id)).ToList();
        return Expected(
            [.. causes.Select(c => c.Probability)],
            [.. question.Results.Select((_, n) => (IReadOnlyList<double>)[.. shares.Select(s => s[n])])]
        );
    }

    /// <summary>What a question is expected to tell: the entropy now less the mean entropy after its answers.</summary>
    /// <param name="shares">The ranking, adding up to 1.</param>
    /// <param name="answers">By answer: for each entry of the ranking the share of boards with it that give this answer; those of an entry that do not add up to 1 are taken in proportion.</param>
    public static double Expected(IReadOnlyList<double> shares, IReadOnlyList<IReadOnlyList<double>> answers)
    {
        var sums = shares.Select((_, c) => answers.Sum(a => a[c])).ToList();
        var after = 0.0;
        foreach (var answer in answers)
        {
            var joint = shares.Select((p, c) => p * answer[c] / sums[c]).ToList();
            var given = joint.Sum();
            if (given > 0)
                after += given * Entropy(joint.Select(j => j / given));
        }
        return Entropy(shares) - after;
    }
}
