using System.Buffers.Binary;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

public class PartitionTableTests
{
    private const int Sector = 512;
    private const string Linux = "0fc63daf-8483-4772-8e79-3d69d8477de4";

    private static byte[] Mbr(params (byte Flag, byte Type, uint Start, uint Length)[] entries)
    {
        var disk = new byte[4 << 20];
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(440), 0x5E1C04AA);
        Fill(disk.AsSpan(0, Sector), entries);
        return disk;
    }

    private static void Fill(Span<byte> sector, params (byte Flag, byte Type, uint Start, uint Length)[] entries)
    {
        for (var i = 0; i < entries.Length; i++)
        {
            var entry = sector[(446 + i * 16)..];
            entry[0] = entries[i].Flag;
            entry[4] = entries[i].Type;
            BinaryPrimitives.WriteUInt32LittleEndian(entry[8..], entries[i].Start);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[12..], entries[i].Length);
        }
        sector[510] = 0x55;
        sector[511] = 0xAA;
    }

    private static PartitionTable Read(byte[] disk) => PartitionTable.Read(ImageBytes.Of(disk));

    [Fact]
    public void Primary_partitions_have_their_place_type_flag_and_id()
    {
        var table = Read(Mbr((0x80, 0x0C, 2048, 1024), (0, 0x83, 4096, 2048)));
        Assert.Equal("mbr", table.Kind);
        Assert.Equal(
            [
                new Partition(1, 2048 * Sector, 1024 * Sector, "0c", "5e1c04aa-01", null, true),
                new Partition(2, 4096 * Sector, 2048 * Sector, "83", "5e1c04aa-02", null, false),
            ],
            table.Partitions
        );
    }

    [Fact]
    public void Logical_partitions_are_followed_and_counted_from_five()
    {
        var disk = Mbr((0, 0x83, 64, 64), (0, 0x05, 1024, 4096));
        Fill(disk.AsSpan(1024 * Sector, Sector), (0, 0x83, 32, 100), (0, 0x05, 512, 512));
        Fill(disk.AsSpan((1024 + 512) * Sector, Sector), (0, 0x82, 32, 200), (0, 0, 0, 0));
        var table = Read(disk);
        Assert.Equal([1, 5, 6], table.Partitions.Select(p => p.Number));
        Assert.Equal([64L * Sector, (1024 + 32) * Sector, (1024 + 512 + 32) * Sector], table.Partitions.Select(p => p.StartBytes));
        Assert.Equal("5e1c04aa-06", table.Partitions[^1].PartUuid);
    }

    [Fact]
    public void A_chain_that_runs_in_a_circle_ends()
    {
        var disk = Mbr((0, 0x05, 1024, 4096));
        Fill(disk.AsSpan(1024 * Sector, Sector), (0, 0x83, 32, 100), (0, 0x05, 0, 512));
        Assert.Single(Read(disk).Partitions);
    }

    [Fact]
    public void A_chain_that_breaks_is_told()
    {
        var table = Read(Mbr((0, 0x0F, 1024, 4096)));
        Assert.Empty(table.Partitions);
        Assert.Contains("breaks", Assert.Single(table.Notes));
    }

    private static byte[] Gpt(bool backup = true)
    {
        var disk = ImageMaker.GptDisk(new byte[1 << 20], new byte[1 << 20]);
        if (!backup)
            disk.AsSpan(disk.Length - Sector).Clear();
        return disk;
    }

    [Fact]
    public void A_gpt_entry_has_its_id_name_and_boot_mark()
    {
        var table = Read(Gpt());
        Assert.Equal("gpt", table.Kind);
        Assert.Empty(table.Notes);
        Assert.Equal(
            [
                new Partition(1, 2048 * Sector, 2048 * Sector, Linux, "11111111-2222-4333-8444-555555555555", "boot", true),
                new Partition(2, 4096 * Sector, 2048 * Sector, Linux, "21111111-2222-4333-8444-555555555555", "root", false),
            ],
            table.Partitions
        );
    }

    [Fact]
    public void A_missing_second_header_is_told_and_a_missing_first_one_replaced()
    {
        Assert.Contains("second GPT header", Assert.Single(Read(Gpt(backup: false)).Notes));
        Assert.False(Read(Gpt()).FirstCopyDamaged);
        var disk = Gpt();
        disk.AsSpan(Sector, 8).Clear();
        var table = Read(disk);
        Assert.Equal(2, table.Partitions.Count);
        Assert.True(table.FirstCopyDamaged);
        Assert.Contains(table.Notes, n => n.Contains("first GPT is damaged"));
    }

    [Theory]
    [InlineData(Sector + 60)] // inside the header
    [InlineData(2 * Sector + 200)] // inside the entries
    public void A_checksum_that_does_not_fit_sends_to_the_second_copy(int place)
    {
        var disk = Gpt();
        disk[place] ^= 1;
        Assert.True(Read(disk).FirstCopyDamaged);
        Assert.Equal(["boot", "root"], Read(disk).Partitions.Select(p => p.Name));
    }

    [Fact]
    public void A_gpt_tells_how_far_it_reaches() => Assert.Equal(8159L * Sector, Read(Gpt()).UsableEndBytes);

    private static DryBoot Boot(byte[] gpt, string loader)
    {
        var set = loader == "efi" ? InstructionSet.Amd64 : InstructionSet.Arm64;
        return DryBoot.Play(ImageBytes.Of(gpt), new DryBoard(set, loader, "virtio", "ttyS0", 115200, 512, [], ""), _ => null);
    }

    [Theory]
    [InlineData("distro")]
    [InlineData("efi")]
    public void A_disk_that_ends_before_its_table_says_is_cut_off(string loader) =>
        Assert.Equal("image-truncated", Boot(Gpt()[..^(40 * Sector)], loader).Causes[0]);

    [Fact]
    public void No_table_is_no_table() => Assert.Equal(("none", 0), (Read(new byte[1024]).Kind, Read([]).Partitions.Count));

    [Property(MaxTest = 500)]
    public bool Any_first_sectors_give_a_bounded_table(byte[] bytes, bool gpt)
    {
        var disk = gpt ? Gpt() : Mbr((0, 5, 1, 100), (0, 0x83, 5, 5));
        for (var i = 0; i < bytes.Length; i++)
            disk[(gpt ? 512 : 446) + i * 7 % 900] = bytes[i];
        disk[510] = 0x55;
        disk[511] = 0xAA;
        if (gpt)
            ImageMaker.SealGpt(disk);
        var table = Read(disk);
        return table.Partitions.Count <= 1024 && table.Partitions.All(p => p.Number > 0);
    }
}
