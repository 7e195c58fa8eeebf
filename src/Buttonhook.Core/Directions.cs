using System.Buffers;

namespace Buttonhook.Core;

/// <summary>Characters that turn the direction of text round, so that what is read is not what is there (Unicode Standard Annex 9, explicit directional characters).</summary>
public static class Directions
{
    private static readonly SearchValues<char> Turning = SearchValues.Create(
        "\u061C\u200E\u200F\u202A\u202B\u202C\u202D\u202E\u2066\u2067\u2068\u2069"
    );

    /// <summary>What stands in place of each of them on page and paper: a sign that every font has.</summary>
    public const char Mark = '\u00A4';

    /// <summary>The text with a mark for each of them, as long as before; the same string where there is none.</summary>
    public static string Shown(string text)
    {
        var at = text.AsSpan().IndexOfAny(Turning);
        return at < 0
            ? text
            : string.Create(
                text.Length,
                text,
                static (into, from) =>
                {
                    for (var i = 0; i < from.Length; i++)
                        into[i] = Turning.Contains(from[i]) ? Mark : from[i];
                }
            );
    }
}
