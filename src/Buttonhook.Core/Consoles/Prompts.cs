using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>What the last, unfinished line of a console asks for.</summary>
public static partial class Prompts
{
    /// <summary>Whether it asks for something that must not be kept: a password, a passphrase, a PIN.</summary>
    public static bool AsksForSecret(string line) => Secret().IsMatch(line);

    /// <summary>Whether it asks for a name to log in with.</summary>
    public static bool AsksForLogin(string line) => Login().IsMatch(line);

    /// <summary>Whether it is a shell that waits for a command.</summary>
    public static bool IsShell(string line) => Shell().IsMatch(line);

    /// <summary>Whether what is typed there comes back at once: a login, a shell, a loader's prompt, and no question for a secret.</summary>
    public static bool Echoes(string line) => !AsksForSecret(line) && (AsksForLogin(line) || IsShell(line) || LoaderStop.IsPrompt(line));

    /// <summary>Whether it asks for the new password of a change that the system forces.</summary>
    public static bool AsksForNewPassword(string line) => NewPassword().IsMatch(line);

    [GeneratedRegex(@"(?i)(?:password|passwd|passphrase|pass phrase|passcode|\bPIN\b|secret)[^:?]{0,60}[:?]\s*$")]
    private static partial Regex Secret();

    [GeneratedRegex(@"(?i)\b(?:login|username)\s*:\s*$")]
    private static partial Regex Login();

    [GeneratedRegex(@"(?:^|[\]\)\w~/-])\s?[$#]\s*$")]
    private static partial Regex Shell();

    [GeneratedRegex(@"(?i)(?:new|retype|again).{0,20}password.{0,20}:\s*$")]
    private static partial Regex NewPassword();
}
