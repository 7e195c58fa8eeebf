using System.IO.Hashing;

namespace Buttonhook.Core.Images.Formats;

/// <summary>A legacy image of U-Boot (include/image.h): header, checksums, content.</summary>
internal sealed record LegacyImage(int Type, InstructionSet? Architecture, bool Compressed, byte[] Data, string? Fault)
{
    public const int Script = 6;

    public static LegacyImage Read(byte[] file)
    {
        if (file.Length < 64 || Field.B32(file, 0) != 0x27051956)
            return new(0, null, false, [], "its first bytes are not those of a U-Boot image");
        var header = file[..64];
        Array.Clear(header, 4, 4);
        if (Crc32.HashToUInt32(header) != Field.B32(file, 4))
            return new(0, null, false, [], "its header checksum is wrong");
        var size = Field.B32(file, 12);
        if (size > file.Length - 64)
            return new(0, null, false, [], $"it is cut off: its header says {size} bytes, {file.Length - 64} are there");
        var data = file[64..(int)(64 + size)];
        var architecture = file[29] switch
        {
            2 => InstructionSet.Armhf,
            22 => InstructionSet.Arm64,
            26 => InstructionSet.Riscv64,
            3 or 24 => InstructionSet.Amd64,
            _ => (InstructionSet?)null,
        };
        return new(
            file[30],
            architecture,
            file[31] != 0,
            data,
            Crc32.HashToUInt32(data) == Field.B32(file, 24) ? null : "its data checksum is wrong"
        );
    }
}
