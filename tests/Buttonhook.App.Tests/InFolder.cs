namespace Buttonhook.App.Tests;

/// <summary>Tests with a folder of their own, which is gone afterwards.</summary>
public abstract class InFolder : IDisposable
{
    private protected readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public virtual void Dispose()
    {
        Directory.Delete(folder, true);
        GC.SuppressFinalize(this);
    }

    /// <summary>Makes a file, and the folders that it lies in; its path.</summary>
    private protected string File(string name, byte[] bytes)
    {
        var path = Path.Combine(folder, name);
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        System.IO.File.WriteAllBytes(path, bytes);
        return path;
    }
}
