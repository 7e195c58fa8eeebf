using Buttonhook.Core.Identifying;

namespace Buttonhook.Core.Tests.Boards;

/// <summary>A board without a device tree is told by the list that its system makes of itself.</summary>
public class HardwareListTests
{
    private const string Dmidecode = """
        # dmidecode 3.4
        Getting SMBIOS data from sysfs.
        SMBIOS 3.2.0 present.

        Handle 0x0000, DMI type 0, 26 bytes
        BIOS Information
        	Vendor: Hedge Firmware
        	Version: 1.04
        	Characteristics:
        		PCI is supported

        Handle 0x0001, DMI type 1, 27 bytes
        System Information
        	Manufacturer: Pomace
        	Product Name: Press 7
        	Version: Default string
        	Serial Number: PP7-00042

        Handle 0x0002, DMI type 2, 15 bytes
        Base Board Information
        	Manufacturer: Pomace
        	Product Name: PP7-MB
        	Version: V2.1
        	Serial Number: MB-998877

        Handle 0x0004, DMI type 4, 48 bytes
        Processor Information
        	Manufacturer: Thrush
        	Flags:
        		FPU (Floating-point unit on-chip)
        	Version: Thrush N4
        	Characteristics:
        		64-bit capable

        Handle 0x0008, DMI type 8, 9 bytes
        Port Connector Information
        	Internal Reference Designator: J1A1
        	External Reference Designator: COM1
        	Port Type: Serial Port 16550A Compatible

        Handle 0x0009, DMI type 8, 9 bytes
        Port Connector Information
        	External Reference Designator: LAN 1
        	Port Type: Network Port

        Handle 0x0017, DMI type 17, 40 bytes
        Memory Device
        	Size: 4 GB
        	Locator: A1

        Handle 0x0018, DMI type 17, 40 bytes
        Memory Device
        	Size: No Module Installed
        """;

    private const string Lshw = """
        WARNING: you should run this program as super-user.
        shed
            description: Desktop Computer
            product: Press 7 (SKU-0001)
            vendor: Pomace
            version: V2
            serial: PP7-00042
            width: 64 bits
          *-core
               description: Motherboard
               product: PP7-MB
               vendor: Pomace
               version: V2.1
             *-memory
                  description: System Memory
                  size: 4GiB
             *-cpu
                  product: Thrush N4
                  width: 64 bits
                  capabilities: fpu x86-64 lm
             *-pci:0
                  description: Host bridge
        """;

    private const string Files = """
        /sys/class/dmi/id/bios_vendor:Hedge Firmware
        /sys/class/dmi/id/board_name:PP7-MB
        /sys/class/dmi/id/board_vendor:Pomace
        /sys/class/dmi/id/board_version:V2.1
        /sys/class/dmi/id/product_name:Press 7
        /sys/class/dmi/id/product_serial:PP7-00042
        /sys/class/dmi/id/sys_vendor:Pomace
        """;

    private const string Hostname = """
         Static hostname: shed
         Operating System: Fallow 12
              Kernel: Linux 6.1.0
         Architecture: x86-64
         Hardware Vendor: Pomace
         Hardware Model: Press 7
        """;

    private const string Log =
        "[    0.000000] Linux version 6.1.0-13-amd64 (debian)\n[    0.000000] DMI: Pomace Press 7/PP7-MB, BIOS 1.04 03/01/2026\n";

    public static TheoryData<string, string> Lists =>
        new()
        {
            { "dmidecode", Dmidecode },
            { "lshw", Lshw },
            { "/sys/class/dmi/id", Files },
            { "hostnamectl", Hostname },
        };

    private static ProfileDraft Draft(string text)
    {
        var draft = ProfileDraft.From(new(null, null, text, null, []), Knowledge.Rules);
        Assert.True(draft.Value is not null, draft.Problem?.ToString());
        return draft.Value;
    }

    [Theory]
    [MemberData(nameof(Lists))]
    public void A_card_is_drafted_from_it_and_says_so_and_no_serial_number_is_taken(string kind, string text)
    {
        var draft = Draft(text);
        Assert.Equal(("Pomace", "Press 7"), (draft.Card.Maker, draft.Card.Name));
        Assert.Equal($"hardware list ({kind})", draft.Card.SourceOf("name"));
        var written = DataFile.Write(draft.Card);
        Assert.DoesNotContain("00042", written);
        Assert.DoesNotContain("998877", written);
        Assert.Null(draft.Card.Power.Volts);
        Assert.Null(draft.Card.Console.Device);
    }

    [Fact]
    public void Memory_processor_revision_and_ports_are_taken_where_the_list_has_them()
    {
        var card = Draft(Dmidecode).Card;
        Assert.Equal([4096], card.MemoryMiB);
        Assert.Equal(InstructionSet.Amd64, card.InstructionSet);
        Assert.Equal("Thrush N4", card.Processor);
        Assert.Equal("V2.1", card.Revisions[0].Id);
        Assert.Equal(["serial COM1", "ethernet LAN 1"], card.Ports.Select(p => $"{p.Kind} {p.Name}"));
        var other = Draft(Lshw).Card;
        Assert.Equal((4096, InstructionSet.Amd64, "Thrush N4"), (Assert.Single(other.MemoryMiB), other.InstructionSet, other.Processor));
        // What makes no claim of the processor is not taken for one.
        Assert.Null(Draft(Files).Card.InstructionSet);
        Assert.Null(HardwareList.Read(Dmidecode.Replace("FPU (Floating-point unit on-chip)", "-"))!.Architecture);
    }

    [Fact]
    public void The_next_log_of_the_same_board_is_known_by_the_line_that_its_kernel_prints()
    {
        Assert.Equal("Pomace Press 7/PP7-MB", Draft(Dmidecode).Card.Banner);
        Assert.Equal("Pomace Press 7/PP7-MB", Draft(Files).Card.Banner);
        var fromLog = Draft(Log);
        Assert.Equal("Pomace Press 7/PP7-MB", fromLog.Card.Banner);
        // A comma in a name is part of it.
        Assert.Equal("Pomace Press (seven, large)", Draft(Log.Replace("Press 7/PP7-MB", "Press (seven, large)")).Card.Banner);
    }

    [Fact]
    public void What_firmware_left_empty_stays_unknown_and_other_text_is_no_list()
    {
        var blank = HardwareList.Read(Dmidecode.Replace("Press 7", "To Be Filled By O.E.M.").Replace("PP7-MB", "Default string"))!;
        Assert.Equal((null, null, null), (blank.Product, blank.Board, blank.Banner));
        Assert.Null(HardwareList.Read("Dear gardener,\nplease: water the hedge.\n"));
        Assert.Null(HardwareList.Read(""));
        Assert.Null(HardwareList.Read("product_name:Default string\nboard_name:None\n"));
    }
}
