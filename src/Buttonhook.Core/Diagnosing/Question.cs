using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Where the number comes from that says what an answer is worth.</summary>
public enum WorthSource
{
    /// <summary>Nobody counted it.</summary>
    Estimated,

    /// <summary>Counted in the lab.</summary>
    Fitted,
}

/// <summary>Something that is to be known, with its possible answers; a person's look and the answer of the board are the same. The file format is published in docs/formats.</summary>
/// <param name="Id">Its name.</param>
/// <param name="Asks">The question, with places for what the evidence holds.</param>
/// <param name="Results">The possible answers, two or more.</param>
/// <param name="Of">The causes whose check it is; null for none.</param>
/// <param name="Look">How a person finds out; null where the question says it.</param>
/// <param name="Minutes">How long a person takes; null when only the board can answer.</param>
/// <param name="Worth">How many times likelier a finding answer is where the cause is so than where it is not, 2 to 1000.</param>
/// <param name="Source">Where that number comes from.</param>
/// <param name="Ways">How the board itself answers; null when it cannot.</param>
public sealed record Question(
    string Id,
    string Asks,
    IReadOnlyList<Result> Results,
    IReadOnlyList<string>? Of = null,
    string? Look = null,
    int? Minutes = null,
    double Worth = Check.UsualWorth,
    WorthSource Source = WorthSource.Estimated,
    IReadOnlyList<Way>? Ways = null
)
{
    /// <summary>The answer of who cannot find out: it says nothing, and is not asked again.</summary>
    public const string Unseen = "unseen";

    /// <summary>The result with this id; null when there is none.</summary>
    public Result? Result(string id) => Results.FirstOrDefault(r => r.Id == id);

    /// <summary>All causes that an answer moves.</summary>
    public IEnumerable<string> Moves =>
        (Of ?? []).Concat(Results.SelectMany(r => (r.Finds ?? []).Concat(r.Clears ?? []).Concat(r.Hints?.Keys ?? []))).Distinct();

    /// <summary>The question that a cause of a book without questions brings itself.</summary>
    public static Question Made(string cause, Check check) =>
        new(
            $"check-{cause}",
            check.What,
            [new("confirmed", "It is so", Finds: [cause]), new("cleared", "It is not", Clears: [cause])],
            [cause],
            null,
            check.Minutes,
            check.Worth
        );

    /// <summary>What an answer does to the odds of a cause, as a factor, 1 for nothing.</summary>
    public double Factor(Result result, string cause) =>
        FactorOf(result.Of(cause), Worth) * (result.Hints?.GetValueOrDefault(cause, 1) ?? 1);

    /// <summary>What finding a cause, or ruling it out, does to its odds, as a factor.</summary>
    public static double FactorOf(CheckAnswer? answer, double worth) =>
        answer switch
        {
            CheckAnswer.Yes => worth,
            CheckAnswer.No => 1 / worth,
            _ => 1,
        };

    /// <summary>By answer: in what share of boards with this cause it is expected. An answer that finds other causes is unlikely where it is this one.</summary>
    public IReadOnlyList<double> Expected(string cause)
    {
        var raw = Results
            .Select(r => Factor(r, cause) is var factor && factor == 1 && r.Finds is { Count: > 0 } ? 1 / Worth : factor)
            .ToList();
        var sum = raw.Sum();
        return [.. raw.Select(r => r / sum)];
    }
}

/// <summary>A possible answer.</summary>
/// <param name="Id">Its name.</param>
/// <param name="Says">What a button shows.</param>
/// <param name="Finds">The causes that it finds; null for none.</param>
/// <param name="Clears">The causes that it rules out; null for none.</param>
/// <param name="Hints">By cause: a factor of its odds; null for none.</param>
public sealed record Result(
    string Id,
    string Says,
    IReadOnlyList<string>? Finds = null,
    IReadOnlyList<string>? Clears = null,
    IReadOnlyDictionary<string, double>? Hints = null
)
{
    /// <summary>What it finds of a cause; null when it says nothing, or only hints.</summary>
    public CheckAnswer? Of(string cause) =>
        Finds?.Contains(cause) == true ? CheckAnswer.Yes
        : Clears?.Contains(cause) == true ? CheckAnswer.No
        : null;
}

/// <summary>How a kind of listener answers a question.</summary>
/// <param name="At">The listeners that know the command.</param>
/// <param name="Type">The command, with places {name} for facts of a known shape.</param>
/// <param name="Reads">Looked for in the lines of the answer, the first that is found counts.</param>
/// <param name="Example">An answer as such a listener gives it.</param>
/// <param name="Means">What the example is read as.</param>
/// <param name="With">Facts that the example needs.</param>
/// <param name="Seconds">How long it usually takes.</param>
/// <param name="Log">Whether the answer is made of lines of the kernel's log.</param>
/// <param name="Needs">A fact without which an answer cannot be read; null for none.</param>
/// <param name="Otherwise">The result of an answer in which nothing was found; null for none.</param>
public sealed record Way(
    IReadOnlyList<ListenerKind> At,
    string Type,
    IReadOnlyList<Reads> Reads,
    string Example,
    string Means,
    IReadOnlyDictionary<string, string>? With = null,
    int Seconds = 2,
    bool Log = false,
    string? Needs = null,
    string? Otherwise = null
);

/// <summary>What in a line of an answer means which result. Named groups are facts that later commands and readings use.</summary>
/// <param name="Result">The result.</param>
/// <param name="Find">An expression; {name} stands for a fact, and what needs one that is not known is passed over.</param>
/// <param name="Takes">A second expression of the same line, for its named groups; null for none.</param>
/// <param name="Needs">A fact that must be known too; null for none.</param>
public sealed record Reads(string Result, string Find, string? Takes = null, string? Needs = null);
