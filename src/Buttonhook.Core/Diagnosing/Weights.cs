namespace Buttonhook.Core.Diagnosing;

/// <summary>What was fitted of one observation.</summary>
/// <param name="Cause">The cause that it speaks for or against; for the general numbers the name of the number.</param>
/// <param name="Observation">The observation, as <see cref="Evidence.Key"/>.</param>
/// <param name="Against">Whether it speaks against.</param>
/// <param name="Weight">Log odds, 0 to 8.</param>
/// <param name="With">In how many logs of the lab it was seen with the cause.</param>
/// <param name="Without">In how many it was seen without.</param>
public sealed record FittedWeight(string Cause, string Observation, bool Against, double Weight, int With, int Without);

/// <summary>The file of what was fitted.</summary>
public sealed record FittedRules(IReadOnlyList<FittedWeight> Fitted)
{
    /// <summary>Reads the file, checked against its schema; observations that no rule of the book has any more are passed over by who uses it.</summary>
    public static Answer<FittedRules> Read(string yaml, string schema) => DataFile.Read<FittedRules>("fitted.yaml", yaml, schema);
}

/// <summary>The numbers of the ranking: what each observation is worth in log odds, and what is general.</summary>
internal sealed class Weights
{
    /// <summary>Names of the general numbers, as they stand in the fitted file.</summary>
    public static readonly IReadOnlyList<string> General = ["something-else", "clean", "explained", "login"];
    private readonly double[] rules;

    /// <summary>Those of the book, and in their place what was fitted.</summary>
    /// <param name="fitted">What was fitted of an observation for (false) or against (true) a cause; null for nothing.</param>
    public Weights(IReadOnlyList<EvidenceRule> all, Func<string, string, bool, FittedWeight?> fitted)
    {
        rules = new double[all.Count];
        foreach (var r in all)
            rules[r.Number] = fitted(r.Cause.Id, r.Evidence.Key, !r.For)?.Weight ?? r.Evidence.Weight;
        double Of(string name, double usual) => fitted(name, "", false)?.Weight ?? usual;
        SomethingElse = Of(General[0], 2);
        Clean = Of(General[1], 4);
        Explained = Of(General[2], 5);
        Login = Of(General[3], 2);
    }

    /// <summary>A copy whose numbers can be moved.</summary>
    public Weights(Weights other)
    {
        rules = [.. other.rules];
        (SomethingElse, Clean, Explained, Login) = (other.SomethingElse, other.Clean, other.Explained, other.Login);
    }

    /// <summary>Log odds of "something that the book does not know".</summary>
    public double SomethingElse { get; set; }

    /// <summary>Log odds of a boot in which nothing is wrong, once the login is reached.</summary>
    public double Clean { get; set; }

    /// <summary>What a cause loses that an earlier one explains.</summary>
    public double Explained { get; set; }

    /// <summary>What a cause loses that a reached login contradicts.</summary>
    public double Login { get; set; }

    public double this[EvidenceRule rule]
    {
        get => rules[rule.Number];
        set => rules[rule.Number] = value;
    }
}
