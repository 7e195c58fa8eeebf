using Buttonhook.Core;
using Buttonhook.Core.Identifying;

namespace Buttonhook.App.Commands;

/// <summary>What a command line tells of a board, read from its files.</summary>
internal static class GivenClues
{
    /// <summary>The clues; a file that cannot be read, or an answer that is not LOOK=ANSWER, is a problem.</summary>
    public static Answer<BoardClues> Of(string? mark, string? code, string? log, string? tree, string[] seen)
    {
        var looks = new List<Seen>();
        foreach (var word in seen)
        {
            if (word.Split('=', 2) is not [var look, var answer])
                return new Problem(
                    "--seen should be LOOK=ANSWER, such as power=USB-C.",
                    $"It is {word}.",
                    "Take look and answer as identify prints them."
                );
            looks.Add(new(look, answer));
        }
        var text = log is null ? (Answer<string>?)null : InputFiles.Text(log, "--log", Consoles.LogFiles.LargestWhole);
        var blob = tree is null ? (Answer<byte[]>?)null : InputFiles.Bytes(tree, "--dtb");
        if ((text?.Problem ?? blob?.Problem) is { } wrong)
            return wrong;
        return new BoardClues(mark, code, text?.Value, blob?.Value, looks);
    }
}
