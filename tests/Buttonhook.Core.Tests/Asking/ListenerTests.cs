using Buttonhook.Core.Consoles;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Asking;

public class ListenerTests
{
    private const string Kernel = "[    0.000000] Linux version 6.1.0";

    [Theory]
    [InlineData("=> ", null, "U-Boot 2024.01", ListenerKind.LoaderShell)]
    [InlineData("Orchard # ", null, "U-Boot 2024.01", ListenerKind.LoaderShell)]
    [InlineData("thimble> ", Stage.SecondLoader, "Net: eth0", ListenerKind.LoaderShell)]
    [InlineData("frost board-> ", Stage.SecondLoader, "Net: eth0", ListenerKind.LoaderShell)]
    [InlineData("bl@Orchard:/ ", Stage.SecondLoader, "Net: eth0", ListenerKind.Unknown)]
    [InlineData("grub> ", Stage.SecondLoader, "GNU GRUB  version 2.06", ListenerKind.LoaderCommandLine)]
    [InlineData("grub rescue> ", Stage.SecondLoader, "error: no such partition.", ListenerKind.LoaderRescue)]
    [InlineData("Shell> ", Stage.FirstLoader, "UEFI Interactive Shell v2.2", ListenerKind.FirmwareShell)]
    [InlineData("FS0:\\> ", Stage.FirstLoader, "UEFI Interactive Shell v2.2", ListenerKind.FirmwareShell)]
    [InlineData(
        "   The highlighted entry will be executed automatically in 5s.",
        Stage.SecondLoader,
        "GNU GRUB  version 2.06",
        ListenerKind.LoaderMenu
    )]
    [InlineData("(initramfs) ", Stage.Root, "Dropping to a shell!", ListenerKind.InitialShell)]
    [InlineData("dracut:/# ", Stage.Root, "Entering emergency mode.", ListenerKind.InitialShell)]
    [InlineData("/ # ", Stage.Kernel, "/bin/sh: can't access tty; job control turned off", ListenerKind.InitialShell)]
    [InlineData("~ # ", Stage.Root, "BusyBox v1.36.1 built-in shell (ash)", ListenerKind.InitialShell)]
    [InlineData("Give root password for maintenance", Stage.Services, "You are in emergency mode.", ListenerKind.Maintenance)]
    [InlineData("Press Enter for maintenance", Stage.Services, "You are in emergency mode.", ListenerKind.Maintenance)]
    [InlineData("(or press Control-D to continue): ", Stage.Services, "Give root password for maintenance", ListenerKind.Maintenance)]
    [InlineData(
        "Press Enter to continue.",
        Stage.Services,
        "Cannot open access to console, the root account is locked.",
        ListenerKind.LockedMaintenance
    )]
    [InlineData("root@frost-07:~# ", Stage.Services, "You are in emergency mode.", ListenerKind.RescueShell)]
    [InlineData("sh-5.2# ", Stage.Root, "Entering emergency mode.", ListenerKind.InitialShell)]
    [InlineData("frost-07 login: ", Stage.Login, "Keeper of the orchard", ListenerKind.Login)]
    [InlineData("Anmelden: ", Stage.Login, "Willkommen", ListenerKind.Login)]
    [InlineData("Password: ", Stage.Login, "frost-07 login: keeper", ListenerKind.Secret)]
    [InlineData("Please enter passphrase for disk root: ", Stage.Root, Kernel, ListenerKind.Secret)]
    [InlineData("keeper@frost-07:~$ ", Stage.Login, "Last login: never", ListenerKind.UserShell)]
    [InlineData("[keeper@frost-07 /srv/frost/very/long/path]$ ", Stage.Login, "Last login: never", ListenerKind.UserShell)]
    [InlineData("bash-5.2$ ", Stage.Login, "Last login: never", ListenerKind.UserShell)]
    [InlineData("$ ", Stage.Login, "frost-07 login: keeper", ListenerKind.UserShell)]
    [InlineData("--More-- ", Stage.Login, "lines", ListenerKind.Pager)]
    [InlineData("lines 1-23", Stage.Login, "lines", ListenerKind.Pager)]
    [InlineData("(END)", Stage.Login, "lines", ListenerKind.Pager)]
    [InlineData(":", Stage.Login, "lines", ListenerKind.Pager)]
    [InlineData("Press any key to continue...", Stage.SecondLoader, "error: no such device", ListenerKind.Pager)]
    [InlineData("~", Stage.Login, "~", ListenerKind.Editor)]
    [InlineData("^G Help   ^O Write Out", Stage.Login, "  GNU nano 7.2   fstab", ListenerKind.Editor)]
    [InlineData("    <Go Back>", Stage.Services, "  \u2502 Choose the language", ListenerKind.Installer)]
    [InlineData("Loading kernel 45 %", Stage.SecondLoader, "Net: eth0", ListenerKind.Unknown)]
    [InlineData("[    3.120000] mmc0: new card", Stage.Kernel, Kernel, ListenerKind.Unknown)]
    [InlineData("", Stage.Kernel, Kernel, ListenerKind.Nobody)]
    public void Is_told_from_its_line_and_what_came_before(string line, Stage? reached, string before, ListenerKind kind) =>
        Assert.Equal(kind, Listener.Of([before], line, reached).Kind);

    [Fact]
    public void A_prompt_of_any_form_is_one_when_it_comes_again()
    {
        Assert.Equal(ListenerKind.Unknown, Listener.Of(["Net: eth0"], "ready (no os):", Stage.SecondLoader).Kind);
        Assert.Equal(ListenerKind.LoaderShell, Listener.Of(["Net: eth0"], "ready (no os):", Stage.SecondLoader, again: true).Kind);
    }

    [Property]
    public bool No_text_throws_and_only_shells_take_commands(NonNull<string> line, string?[] before, Stage? reached, bool again)
    {
        var listener = Listener.Of([.. before.Select(b => b ?? "")], line.Get, reached, again);
        return listener.TakesCommands == Listener.IsShell(listener.Kind) && listener.Words.Length > 0;
    }
}
