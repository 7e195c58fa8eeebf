namespace Buttonhook.Hardware;

/// <summary>What every reader of a connection does.</summary>
public static class Connections
{
    /// <summary>Reads what has arrived; 0 when the other end, or this one, has closed the connection or it broke.</summary>
    public static int ReadOrEnd(this Stream stream, byte[] buffer)
    {
        try
        {
            return stream.Read(buffer);
        }
        catch (Exception e) when (e is IOException or ObjectDisposedException)
        {
            return 0;
        }
    }
}
