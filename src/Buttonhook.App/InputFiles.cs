using Buttonhook.Core;
using Buttonhook.Hardware;

namespace Buttonhook.App;

/// <summary>Files that a person names: only regular ones are opened, up to a size, and what is wrong is said.</summary>
public static class InputFiles
{
    /// <summary>The largest text of cards, sums and trees that is read.</summary>
    public const long Small = 16 << 20;

    /// <summary>The bytes of a file; a problem when it is none, too large, or may not be read.</summary>
    /// <param name="what">What it should be, as the person called it.</param>
    public static Answer<byte[]> Bytes(string path, string what, long most = Small)
    {
        if (FileKinds.NotRegular(path, what) is { } other)
            return other;
        try
        {
            var length = new FileInfo(path).Length;
            return length <= most
                ? File.ReadAllBytes(path)
                : new Problem(
                    $"{what} may have up to {Sizes.Binary(most)}.",
                    $"{path} has {Sizes.Binary(length)}.",
                    "Check whether it is the right file."
                );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new Problem($"{what} should be a file that can be read.", e.Message, "Look at its name and who may read it.");
        }
    }

    /// <summary>The text of a file.</summary>
    public static Answer<string> Text(string path, string what, long most = Small)
    {
        var read = Bytes(path, what, most);
        return read.Value is { } bytes ? new StreamReader(new MemoryStream(bytes)).ReadToEnd() : read.Problem!;
    }
}
