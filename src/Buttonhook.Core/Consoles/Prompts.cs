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

    /// <summary>Whether what a board says of a change of password is that it was refused; in words of English, the only ones that are known.</summary>
    public static bool RefusesPassword(string text) => Refuses().IsMatch(text);

    // A hint only, for the page: whether what is typed is kept goes by whether it comes back (EchoWatch), in any language. The words are those of
    // the translations of Linux-PAM, shadow and sudo.
    [GeneratedRegex(
        @"(?i)(?:password|passwd|pass ?phrase|passcode|\bPIN\b|\bPSK\b|secret|passwort|kennwort|mot de passe|contrase[nñ]a|\bsenha\b|palavra-passe|wachtwoord|l[oö]senord|adgangskode|passord|salasana|has[lł]o|heslo|jelsz[oó]|parol[aă]?\b|пароль|密码|密碼|パスワード|암호|비밀번호)[^:?：>]{0,60}[:?：>]\s*$"
    )]
    private static partial Regex Secret();

    [GeneratedRegex(
        @"(?i)\b(?:login|log in|user ?name|user|anmeldung|anmelden|benutzername|benutzer|identifiant|utilisateur|usuario|utente|gebruikersnaam|anv[aä]ndarnamn|brugernavn|brukernavn|k[aä]ytt[aä]j[aä](?:tunnus)?|felhaszn[aá]l[oó]n[eé]v|логин|имя пользователя)\s*[:：]\s*$"
    )]
    private static partial Regex Login();

    [GeneratedRegex(@"(?:^|[\]\)\w~/-])\s?[$#]\s*$")]
    private static partial Regex Shell();

    [GeneratedRegex(
        @"(?i)(?:\bnew|retype|again|repeat|confirm|\bneue[sn]?\b|erneut|wiederhol|nouveau|nueva|\bnova\b|nuova|nieuw|nytt?\b|nowe|nov[eé]|[uú]j\b|новый|新).{0,30}[:：]\s*$"
    )]
    private static partial Regex NewPassword();

    [GeneratedRegex(@"(?i)token manipulation error|password unchanged|bad password|do not match|don't match|passwd: .*fail|sorry")]
    private static partial Regex Refuses();
}
