using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Bytes by which a first loader is known, in hexadecimal, and the places where boot ROMs look for it, in bytes from the start of the medium.</summary>
public sealed record FirstLoaderSign(string Name, string Bytes, IReadOnlyList<long> At);

/// <summary>A first loader that was found.</summary>
public sealed record FoundLoader(string Name, long AtBytes);

/// <summary>Looks for first loaders outside the file systems.</summary>
public static class FirstLoaders
{
    /// <summary>Those of the known signs that stand at one of their places.</summary>
    public static IReadOnlyList<FoundLoader> Find(ImageBytes image, IReadOnlyList<FirstLoaderSign> signs) =>
        [.. signs.SelectMany(s => s.At.Where(at => Stands(image, at, s.Bytes)).Select(at => new FoundLoader(s.Name, at)))];

    /// <summary>Whether these bytes (hexadecimal) stand at this place.</summary>
    public static bool Stands(ImageBytes image, long at, string bytes)
    {
        var wanted = Convert.FromHexString(bytes);
        return image.At(at, wanted.Length).AsSpan().SequenceEqual(wanted);
    }
}
