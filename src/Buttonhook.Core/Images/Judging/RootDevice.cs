using System.Globalization;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging;

/// <summary>What a name of a device means on an image in a board: root= of the kernel (init/do_mounts.c and block/early-lookup.c of Linux, and what initial file systems add), and the first column of a mount table.</summary>
/// <param name="Volume">The partition or volume that it names; null when there is none.</param>
/// <param name="Why">Why there is none, as the end of a sentence.</param>
/// <param name="OnlyPrograms">Whether the kernel by itself does not know this kind of name.</param>
/// <param name="Needs">What must be opened or put together before it is there (LVM2_member, crypto_LUKS, linux_raid_member), or null.</param>
/// <param name="Elsewhere">Where it lies when that is not this image (a network, a pool), so that nothing can be told; or null.</param>
public sealed record RootDevice(Volume? Volume, string Why, bool OnlyPrograms = false, string? Needs = null, string? Elsewhere = null)
{
    /// <summary>Resolves a name; one that is not known here is not there.</summary>
    /// <param name="cardHosts">How many hosts for cards the board has: with several, the card need not be the first.</param>
    public static RootDevice Of(string device, IReadOnlyList<Volume> volumes, DryBoard board, int cardHosts)
    {
        device = device.Trim('"');
        if (device.StartsWith("block:", StringComparison.Ordinal))
            return Of(device[6..], volumes, board, cardHosts) with { OnlyPrograms = true };
        if (device.StartsWith("/dev/disk/by-", StringComparison.Ordinal) && device[13..].Split('/', 2) is [var by, var named])
            return by is "uuid" or "label" or "partuuid" or "partlabel"
                ? Of($"{by.ToUpperInvariant()}={Unescaped(named)}", volumes, board, cardHosts) with
                {
                    OnlyPrograms = true,
                }
                : new(null, "", true, Elsewhere: "a disk by a name that only its own hardware gives");
        return NotHere(device)
            ?? (device.Split('=', 2) is [var key, var value] ? ByProperty(key, value.Trim('"'), volumes) : null)
            ?? Mapped(device, volumes)
            ?? OnMedium(device, volumes, board, cardHosts);
    }

    /// <summary>What lies on no image at all.</summary>
    private static RootDevice? NotHere(string device)
    {
        bool Begins(string with) => device.StartsWith(with, StringComparison.Ordinal);
        if (device.StartsWith("ZFS=", StringComparison.OrdinalIgnoreCase) || Begins("zfs:"))
            return new(null, "", true, Elsewhere: "a pool of ZFS, which is not read here");
        if (Begins("nfs") || Begins("/dev/nbd") || device is "/dev/nfs")
            return new(null, "", Elsewhere: "another machine on the network");
        return Begins("live:") || Begins("/dev/ram")
            ? new(null, "", true, Elsewhere: "a system that the initial file system puts together by itself")
            : null;
    }

    private static RootDevice? ByProperty(string key, string value, IReadOnlyList<Volume> volumes)
    {
        RootDevice By(Func<Volume, bool> fits, string why, bool programs = false) =>
            Found(volumes.FirstOrDefault(fits), why, programs, volumes);
        return key.ToUpperInvariant() switch
        {
            "PARTUUID" => ByPartUuid(value, volumes),
            "UUID" => By(v => string.Equals(v.Tree?.Uuid, value, StringComparison.OrdinalIgnoreCase), "no file system has this id", true),
            "LABEL" => By(v => v.Tree?.Label == value, "no file system has this label", true),
            "PARTLABEL" => By(v => v.Mapped is null && v.Partition.Name == value, "no partition has this name"),
            _ => null,
        };
    }

    /// <summary>"/PARTNROFF=" counts on from the partition with this id.</summary>
    private static RootDevice ByPartUuid(string value, IReadOnlyList<Volume> volumes)
    {
        var parts = Partitions(volumes);
        var id = value.Split('/', 2);
        var offset = 0;
        if (
            id.Length == 2
            && !(
                id[1].StartsWith("PARTNROFF=", StringComparison.Ordinal)
                && int.TryParse(id[1][10..], NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out offset)
            )
        )
            return new(null, "behind the id only /PARTNROFF= with a number may stand");
        var at = parts.FindIndex(v => v.Partition.PartUuid.Equals(id[0], StringComparison.OrdinalIgnoreCase));
        return at < 0 ? new(null, "no partition has this id")
            : offset == 0 ? new(parts[at], "")
            : Found(
                parts.FirstOrDefault(v => v.Partition.Number == parts[at].Partition.Number + offset),
                "no partition has that number behind the one with this id",
                false,
                volumes
            );
    }

    /// <summary>A volume of LVM or an array of md by its name; null for any other name.</summary>
    private static RootDevice? Mapped(string device, IReadOnlyList<Volume> volumes)
    {
        if (device.StartsWith("/dev/mapper/", StringComparison.Ordinal))
            return Found(
                // In the name of the mapper a dash parts group and volume, and a dash of theirs is doubled.
                volumes.FirstOrDefault(v => v.Mapped is not null && v.Mapped.Replace("-", "--").Replace('/', '-') == device[12..]),
                "no volume has this name",
                true,
                volumes
            );
        if (device.StartsWith("/dev/md", StringComparison.Ordinal))
            return Found(
                volumes.FirstOrDefault(v =>
                    v.Mapped == device[5..]
                    || (v.Mapped?.StartsWith("md/", StringComparison.Ordinal) == true && v.Mapped[3..] == device[7..])
                )
                    ?? (
                        volumes.Count(v => v.Mapped?.StartsWith("md/", StringComparison.Ordinal) == true) == 1
                            ? volumes.First(v => v.Mapped?.StartsWith("md/", StringComparison.Ordinal) == true)
                            : null
                    ),
                "no array has this name",
                true,
                volumes
            );
        return volumes.FirstOrDefault(v => v.Mapped is not null && device == $"/dev/{v.Mapped}") is { } logical
            ? Found(logical, "", true, volumes)
            : null;
    }

    /// <summary>A partition by its number, as the kernel calls the medium that this board starts from.</summary>
    private static RootDevice OnMedium(string device, IReadOnlyList<Volume> volumes, DryBoard board, int cardHosts)
    {
        var parts = Partitions(volumes).FindAll(v => v.Drive is null);
        if (Partitions(volumes).Find(v => v.Drive is not null && device == NameOnDrive(v)) is { } onDrive)
            return new(onDrive, "");
        var disk = board.BootMedium switch
        {
            "sd" => "/dev/mmcblk0p",
            "usb" => "/dev/sda",
            _ => "/dev/vda",
        };
        if (
            board.BootMedium == "sd"
            && device.StartsWith("/dev/mmcblk", StringComparison.Ordinal)
            && device.Length > 12
            && device[11] - '0' is >= 0 and var host
            && host < cardHosts
        )
            disk = device[..12] + "p";
        if (
            !device.StartsWith(disk, StringComparison.Ordinal)
            || !int.TryParse(device[disk.Length..], NumberStyles.None, CultureInfo.InvariantCulture, out var number)
        )
            return device == disk.TrimEnd('p')
                ? new(
                    parts.FirstOrDefault(v => v.Partition.Number == 0),
                    $"that is the whole medium, and its partitions are called {disk}1 and so on"
                )
                : new(null, $"on this medium partitions are called {disk}1 and so on");
        return Found(parts.FirstOrDefault(v => v.Partition.Number == number), "there is no such partition", false, volumes);
    }

    /// <summary>What the kernel calls a partition of the one drive beside the card.</summary>
    private static string NameOnDrive(Volume volume) =>
        volume.Drive == "ssd" ? $"/dev/nvme0n1p{volume.Partition.Number}" : $"/dev/sda{volume.Partition.Number}";

    private static List<Volume> Partitions(IReadOnlyList<Volume> volumes) => [.. volumes.Where(v => v.Mapped is null)];

    /// <summary>What is there, with the layer it lies in; what is not there may lie in a layer that is closed here.</summary>
    private static RootDevice Found(Volume? volume, string why, bool programs, IReadOnlyList<Volume> volumes)
    {
        if (volume is not null)
            return new(
                volume,
                why,
                programs,
                volume.Mapped is null ? null : volumes.First(v => v.Mapped is null && v.Partition == volume.Partition).Kind
            );
        var closed =
            volumes.FirstOrDefault(v => v.Kind == Layers.Luks)
            ?? volumes.FirstOrDefault(v => v.Mapped is not null && v.Tree is null)
            ?? volumes.FirstOrDefault(v => v.Kind is Layers.Lvm or Layers.Raid && v.Because is not null);
        return programs && closed is not null
            ? new(null, why, true, closed.Kind is Layers.Luks or Layers.Lvm or Layers.Raid ? closed.Kind : Layers.Lvm)
            : new(null, why, programs);
    }

    /// <summary>Names below /dev/disk have blanks and other characters as \x20 (udev).</summary>
    private static string Unescaped(string name)
    {
        for (var at = 0; (at = name.IndexOf("\\x", at, StringComparison.Ordinal)) >= 0 && at + 4 <= name.Length; at++)
            if (int.TryParse(name.AsSpan(at + 2, 2), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var code))
                name = $"{name[..at]}{(char)code}{name[(at + 4)..]}";
        return name;
    }
}
