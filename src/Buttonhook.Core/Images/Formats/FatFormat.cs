using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Makes an empty FAT file system (Microsoft's FAT specification of 2000).</summary>
public static class FatFormat
{
    private const int Sector = 512;
    private const long Smallest = 5L << 20;

    /// <summary>From this size on it is FAT32, else FAT16.</summary>
    private const long LargeFrom = 512L << 20;

    /// <summary>Sectors: of the whole, of a cluster, before the tables, of one table, and of the root folder of FAT16.</summary>
    private readonly record struct Shape(bool Large, uint Total, int PerCluster, int Reserved, uint Table, int Root)
    {
        public long FirstData => Reserved + 2L * Table;
    }

    /// <summary>Makes an empty file system over all of these bytes: FAT16 below 512 MiB, FAT32 from there on; fewer than 5 MiB throw.</summary>
    /// <param name="label">Up to 11 plain characters.</param>
    /// <param name="serial">The number that <c>UUID=</c> names.</param>
    /// <param name="hidden">Sectors before the partition.</param>
    public static void Make(WritableBytes bytes, string label, uint serial, uint hidden)
    {
        if (bytes.Length < Smallest)
            throw new IOException($"a FAT partition here has at least 5 MiB, not {bytes.Length} bytes");
        var shape = ShapeOf(bytes.Length);
        var name = Encoding.ASCII.GetBytes(label.ToUpperInvariant().PadRight(11)[..11]);
        var boot = BootSector(shape, name, serial, hidden);
        Clear(bytes, (shape.FirstData + shape.Root + (shape.Large ? shape.PerCluster : 0)) * Sector);
        bytes.Write(0, boot);
        if (shape.Large)
        {
            var info = InfoSector(shape);
            bytes.Write(Sector, info);
            bytes.Write(6 * Sector, boot);
            bytes.Write(7 * Sector, info);
        }
        // The first entries of a table are its own; in FAT32 the third is the root folder.
        for (var table = 0; table < 2; table++)
            bytes.Write(
                (shape.Reserved + (long)table * shape.Table) * Sector,
                shape.Large ? [0xF8, 0xFF, 0xFF, 0x0F, 0xFF, 0xFF, 0xFF, 0x0F, 0xFF, 0xFF, 0xFF, 0x0F] : [0xF8, 0xFF, 0xFF, 0xFF]
            );
        var entry = new byte[FatLayout.EntryBytes];
        name.CopyTo(entry, 0);
        entry[11] = 8;
        bytes.Write(shape.FirstData * Sector, entry);
    }

    private static Shape ShapeOf(long length)
    {
        var large = length >= LargeFrom;
        var total = (uint)Math.Min(length / Sector, uint.MaxValue);
        var per =
            !large ? 1
            : length < 8L << 30 ? 8
            : length < 16L << 30 ? 16
            : length < 32L << 30 ? 32
            : 64;
        if (!large)
            while (total / per > 65000)
                per *= 2;
        var reserved = large ? 32 : 4;
        var root = large ? 0 : 512 * FatLayout.EntryBytes / Sector;
        var entries = (total - reserved - root) / per + 2;
        return new(large, total, per, reserved, (uint)((entries * (large ? 4 : 2) + Sector - 1) / Sector), root);
    }

    private static byte[] BootSector(Shape shape, byte[] name, uint serial, uint hidden)
    {
        var boot = new byte[Sector];
        void Put16(int at, int value) => BinaryPrimitives.WriteUInt16LittleEndian(boot.AsSpan(at), (ushort)value);
        void Put32(int at, uint value) => BinaryPrimitives.WriteUInt32LittleEndian(boot.AsSpan(at), value);
        new byte[] { 0xEB, 0x58, 0x90 }.CopyTo(boot, 0);
        "BTNHOOK "u8.CopyTo(boot.AsSpan(3));
        Put16(11, Sector);
        boot[13] = (byte)shape.PerCluster;
        Put16(14, shape.Reserved);
        boot[16] = 2;
        Put16(17, shape.Root * Sector / FatLayout.EntryBytes);
        boot[21] = 0xF8;
        Put16(24, 63);
        Put16(26, 255);
        Put32(28, hidden);
        Put32(32, shape.Total);
        var tail = shape.Large ? 64 : 36;
        if (shape.Large)
        {
            Put32(36, shape.Table);
            Put32(44, 2);
            Put16(48, 1);
            Put16(50, 6);
        }
        else
            Put16(22, (int)shape.Table);
        boot[tail] = 0x80;
        boot[tail + 2] = 0x29;
        Put32(tail + 3, serial);
        name.CopyTo(boot, tail + 7);
        Encoding.ASCII.GetBytes(shape.Large ? "FAT32   " : "FAT16   ").CopyTo(boot, tail + 18);
        boot[510] = 0x55;
        boot[511] = 0xAA;
        return boot;
    }

    /// <summary>How much is free, as FAT32 keeps it for quick answers.</summary>
    private static byte[] InfoSector(Shape shape)
    {
        var info = new byte[Sector];
        BinaryPrimitives.WriteUInt32LittleEndian(info, 0x41615252);
        BinaryPrimitives.WriteUInt32LittleEndian(info.AsSpan(484), 0x61417272);
        BinaryPrimitives.WriteUInt32LittleEndian(info.AsSpan(488), (uint)((shape.Total - shape.FirstData) / shape.PerCluster) - 1);
        BinaryPrimitives.WriteUInt32LittleEndian(info.AsSpan(492), uint.MaxValue);
        info[510] = 0x55;
        info[511] = 0xAA;
        return info;
    }

    private static void Clear(WritableBytes bytes, long length)
    {
        var block = new byte[1 << 16];
        for (long at = 0; at < length; at += block.Length)
            bytes.Write(at, block.AsSpan(0, (int)Math.Min(block.Length, length - at)));
    }
}
