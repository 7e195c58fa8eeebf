using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>Where the edit belongs that a trial stands for.</summary>
public enum EditPlace
{
    /// <summary>The kernel command line, in whatever file the loader reads it from.</summary>
    CommandLine,

    /// <summary>The mount table, /etc/fstab.</summary>
    MountTable,
}

/// <summary>The lasting edit of a trial.</summary>
/// <param name="Where">In which file.</param>
/// <param name="Before">The words that go; null for none.</param>
/// <param name="After">The words that come; null for none.</param>
public sealed record TrialEdit(EditPlace Where, string? Before = null, string? After = null);

/// <summary>Something that is tried at a console and holds until the board restarts. The file format is published in docs/formats.</summary>
/// <param name="Id">Its name.</param>
/// <param name="Of">The causes that it proves when the board goes on.</param>
/// <param name="At">Who must wait.</param>
/// <param name="Says">What is tried, with places for facts.</param>
/// <param name="Type">The lines that are typed, each behind the prompt that the one before brings back.</param>
/// <param name="Changes">What they change until the board restarts.</param>
/// <param name="Behind">An expression that must be found in the lines before the prompt; null for none.</param>
/// <param name="Unless">An expression that must not be found there; null for none.</param>
/// <param name="Needs">Facts that must be known beside those that the lines have places for; null for none.</param>
/// <param name="Edit">The edit that lasts; null when there is nothing to edit.</param>
public sealed record Trial(
    string Id,
    IReadOnlyList<string> Of,
    IReadOnlyList<ListenerKind> At,
    string Says,
    IReadOnlyList<string> Type,
    string Changes,
    string? Behind = null,
    string? Unless = null,
    IReadOnlyList<string>? Needs = null,
    TrialEdit? Edit = null
)
{
    /// <summary>It with this board's facts; null when a fact is missing or has not the shape of its place.</summary>
    public OfferedTrial? With(string cause, string causeName, IReadOnlyDictionary<string, string> facts)
    {
        if ((Needs ?? []).Any(n => !facts.ContainsKey(n)))
            return null;
        var lines = new List<string>();
        foreach (var line in Type)
        {
            if (SafeCommand.Filled(line, facts) is not { } filled)
                return null;
            lines.Add(filled);
        }
        return new(
            Id,
            cause,
            causeName,
            In(Says, facts),
            lines,
            In(Changes, facts),
            Edit is { } edit
                ? edit with
                {
                    Before = edit.Before is { } before ? In(before, facts) : null,
                    After = edit.After is { } after ? In(after, facts) : null,
                }
                : null
        );
    }

    /// <summary>Whether who waits, and what came before, is what it is for.</summary>
    public bool Fits(Listener listener, IReadOnlyList<string> before) =>
        At.Contains(listener.Kind)
        && (Behind is null || before.Any(l => Regex.IsMatch(l, Behind, RegexOptions.None, Patience)))
        && (Unless is null || !before.Append(listener.Prompt).Any(l => Regex.IsMatch(l, Unless, RegexOptions.None, Patience)));

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(1);

    private static string In(string text, IReadOnlyDictionary<string, string> facts) =>
        Template.Fill(facts.Aggregate(text, (t, fact) => t.Replace("{" + fact.Key + "}", fact.Value, StringComparison.Ordinal)), facts);
}

/// <summary>A trial for a board that waits now: the very lines, what they change, and the edit that would last.</summary>
/// <param name="Id">The trial.</param>
/// <param name="CauseId">The cause that it would prove.</param>
/// <param name="Cause">Its name.</param>
/// <param name="Says">What is tried.</param>
/// <param name="Lines">What is typed.</param>
/// <param name="Changes">What that changes until the board restarts.</param>
/// <param name="Edit">The edit that lasts; null when there is none.</param>
public sealed record OfferedTrial(
    string Id,
    string CauseId,
    string Cause,
    string Says,
    IReadOnlyList<string> Lines,
    string Changes,
    TrialEdit? Edit
);

/// <summary>What came of a trial.</summary>
public enum TrialVerdict
{
    /// <summary>The board still boots.</summary>
    Watched,

    /// <summary>The board came to its login behind it.</summary>
    Proved,

    /// <summary>It came further, and stopped at something else.</summary>
    Further,

    /// <summary>It stopped as before.</summary>
    NoHelp,

    /// <summary>The capture ended before that could be seen.</summary>
    Unseen,
}

/// <summary>Tells from what followed a trial what came of it.</summary>
public static class TrialOutcome
{
    /// <summary>The verdict of a trial.</summary>
    /// <param name="said">What the boot says now.</param>
    /// <param name="top">The likeliest cause; null for none.</param>
    /// <param name="line">The line behind which it was typed, from 1.</param>
    /// <param name="cause">The cause that it was to prove.</param>
    /// <param name="quiet">How long the board has been quiet, in milliseconds; null when its capture has ended.</param>
    public static TrialVerdict Of(BootSummary said, string? top, int line, string cause, int? quiet) =>
        said.Stages.Any(s => s.Stage == Stage.Login && s.Line > line) ? TrialVerdict.Proved
        // Right behind what was typed the old prompt still stands there.
        : quiet < StandsStill ? TrialVerdict.Watched
        : said.Waiting
            ? top == cause ? TrialVerdict.NoHelp
                : TrialVerdict.Further
        : quiet is null ? TrialVerdict.Unseen
        : TrialVerdict.Watched;

    /// <summary>A board that waits again has been quiet for so long, in milliseconds: a root is waited for at most 30 s (scripts/local of initramfs-tools).</summary>
    public const int StandsStill = 35_000;

    /// <summary>A verdict in words.</summary>
    public static string Says(TrialVerdict verdict, OfferedTrial offered, Stage? reached) =>
        verdict switch
        {
            TrialVerdict.Proved => $"It proved itself: the board came to its login. {offered.Cause} was the cause.",
            TrialVerdict.Further => $"The board went on to {StageWords.Of(reached)} and stopped at something else.",
            TrialVerdict.NoHelp => "The board stopped as before: this was not it, or not all of it.",
            TrialVerdict.Unseen => "The capture ended before that could be seen.",
            _ => "The board starts with it: this is watched.",
        };
}
