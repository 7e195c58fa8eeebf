using System.Text.Encodings.Web;
using System.Text.Json;
using Buttonhook.Core;

namespace Buttonhook.App.Commands;

/// <summary>What every command answers with: an exit code, one line of trouble, or JSON.</summary>
internal static class Terminal
{
    /// <summary>Exit code of wrong usage.</summary>
    public const int Wrong = 2;

    /// <summary>Exit code of what could not be done.</summary>
    public const int Failed = 1;

    /// <summary>JSON as a person reads it.</summary>
    public static readonly JsonSerializerOptions Indented = new(DataFile.Json)
    {
        WriteIndented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    /// <summary>Says a problem in one line of the error output and gives the exit code on.</summary>
    public static int Say(Problem problem, int code)
    {
        Console.Error.WriteLine($"buttonhook: {problem}");
        return code;
    }
}
