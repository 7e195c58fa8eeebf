namespace Buttonhook.Core.Consoles;

/// <summary>Marks around a command, so that its answer is told from its echo and from what the kernel prints: sums, which the echo shows unsummed.</summary>
public static class AnswerMarks
{
    private const string Begin = "bh:36",
        End = "bh:42";

    /// <summary>A command with its marks, for a POSIX shell.</summary>
    /// <param name="name">What the begin of the answer names; letters, points and dashes. Null for nothing.</param>
    public static string Around(string command, string? name = null) =>
        $"echo bh:$((6*6)){(name is null ? "" : ":" + name)}; {command}; echo bh:$((6*7))";

    /// <summary>Whether the end of an answer stands in a text.</summary>
    public static bool HasEnd(string text) => text.Split('\n').Any(IsEnd);

    /// <summary>Whether a line begins an answer.</summary>
    public static bool IsBegin(string line) => line.TrimEnd('\r', ' ') is Begin || NameOf(line) is not null;

    /// <summary>Whether a line ends an answer; what was printed without a line of its own stands before the mark.</summary>
    public static bool IsEnd(string line) => line.TrimEnd('\r', ' ').EndsWith(End, StringComparison.Ordinal);

    /// <summary>The name in the begin of an answer; null when it is none, or has no name.</summary>
    public static string? NameOf(string line) =>
        line.TrimEnd('\r', ' ') is var text && text.StartsWith(Begin + ":", StringComparison.Ordinal) && text.Length > Begin.Length + 1
            ? text[(Begin.Length + 1)..]
            : null;

    /// <summary>What stands before the mark in the last line of an answer.</summary>
    public static string BeforeEnd(string line) => line.TrimEnd('\r', ' ')[..^End.Length];
}
