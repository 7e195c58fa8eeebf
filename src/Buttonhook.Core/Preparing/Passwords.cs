using System.Security.Cryptography;
using System.Text;

namespace Buttonhook.Core.Preparing;

/// <summary>Passwords as systems keep them, so that the words themselves are nowhere stored.</summary>
public static class Passwords
{
    private const string Digits = "./0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";
    private const int UsualRounds = 5000;

    /// <summary>SHA-512 crypt (U. Drepper, Unix crypt using SHA-256 and SHA-512, 0.6) with a new salt of 16 characters.</summary>
    public static string Crypt(string password) => Crypt(password, RandomNumberGenerator.GetString(Digits, 16));

    /// <summary>SHA-512 crypt with a given salt of up to 16 characters; rounds as usual (5000), or 1000 to 999999999 when named.</summary>
    public static string Crypt(string password, string salt, int? rounds = null)
    {
        var key = Encoding.UTF8.GetBytes(password);
        var grain = Encoding.UTF8.GetBytes(salt)[..Math.Min(16, Encoding.UTF8.GetByteCount(salt))];
        var count = Math.Clamp(rounds ?? UsualRounds, 1000, 999_999_999);
        byte[] Repeat(byte[] digest, int length)
        {
            var bytes = new byte[length];
            for (var i = 0; i < length; i++)
                bytes[i] = digest[i % 64];
            return bytes;
        }
        var b = SHA512.HashData([.. key, .. grain, .. key]);
        using var sum = IncrementalHash.CreateHash(HashAlgorithmName.SHA512);
        sum.AppendData(key);
        sum.AppendData(grain);
        sum.AppendData(Repeat(b, key.Length));
        for (var bits = key.Length; bits > 0; bits >>= 1)
            sum.AppendData((bits & 1) != 0 ? b : key);
        var a = sum.GetHashAndReset();
        for (var i = 0; i < key.Length; i++)
            sum.AppendData(key);
        var p = Repeat(sum.GetHashAndReset(), key.Length);
        for (var i = 0; i < 16 + a[0]; i++)
            sum.AppendData(grain);
        var s = Repeat(sum.GetHashAndReset(), grain.Length);
        for (var i = 0; i < count; i++)
        {
            sum.AppendData((i & 1) != 0 ? p : a);
            if (i % 3 != 0)
                sum.AppendData(s);
            if (i % 7 != 0)
                sum.AppendData(p);
            sum.AppendData((i & 1) != 0 ? a : p);
            a = sum.GetHashAndReset();
        }
        var text = new StringBuilder("$6$");
        if (rounds is not null)
            text.Append("rounds=").Append(count).Append('$');
        text.Append(Encoding.UTF8.GetString(grain)).Append('$');
        // Three bytes at a time: the first third, the second and the last, turning by one each time.
        for (var i = 0; i < 21; i++)
        {
            var (x, y, z) = (i % 3) switch
            {
                0 => (i, i + 21, i + 42),
                1 => (i + 21, i + 42, i),
                _ => (i + 42, i, i + 21),
            };
            Append((a[x] << 16) | (a[y] << 8) | a[z], 4);
        }
        Append(a[63], 2);
        return text.ToString();

        void Append(int value, int digits)
        {
            for (; digits > 0; digits--, value >>= 6)
                text.Append(Digits[value & 63]);
        }
    }

    /// <summary>The key of a wireless network in 64 hexadecimal digits: PBKDF2 with HMAC-SHA-1, the name as salt, 4096 rounds, 256 bits (IEEE 802.11i, annex H.4). A password has 8 to 63 printable ASCII characters, a name 1 to 32 bytes; 64 hexadecimal digits are a key already.</summary>
    public static Answer<string> WirelessKey(string name, string password)
    {
        if (Encoding.UTF8.GetByteCount(name) is 0 or > 32)
            return new Problem(
                "The name of a wireless network has 1 to 32 bytes.",
                $"This one has {Encoding.UTF8.GetByteCount(name)}.",
                "Copy it from a device that is in this network."
            );
        if (password.Length == 64 && password.All(char.IsAsciiHexDigit))
            return password.ToLowerInvariant();
        if (password.Length is < 8 or > 63 || password.Any(c => c is < ' ' or > '~'))
            return new Problem(
                "A wireless password has 8 to 63 plain characters.",
                password.Length is < 8 or > 63 ? $"This one has {password.Length}." : "This one holds another character.",
                "Type it again; mind letters with accents and quotes that an editor bent."
            );
        return Convert.ToHexStringLower(
            Rfc2898DeriveBytes.Pbkdf2(Encoding.ASCII.GetBytes(password), Encoding.UTF8.GetBytes(name), 4096, HashAlgorithmName.SHA1, 32)
        );
    }
}
