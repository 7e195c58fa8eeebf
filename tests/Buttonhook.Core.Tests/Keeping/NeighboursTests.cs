using Buttonhook.Core.Keeping;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Keeping;

public class NeighboursTests
{
    private const string Neigh = """
        192.0.2.1 dev eth0 lladdr 02:00:5e:10:00:01 REACHABLE
        192.0.2.20 dev eth0 lladdr 02:00:5e:10:00:20 STALE
        fe80::1 dev eth0 lladdr 02:00:5e:10:00:01 router STALE
        """;

    [Theory]
    [InlineData("192.0.2.7 dev eth0 lladdr 02:00:5e:10:00:07 REACHABLE", "192.0.2.7", "02:00:5e:10:00:07", null)]
    [InlineData("quince.hedge (192.0.2.7) at 02:00:5e:10:00:07 [ether] on eth0", "192.0.2.7", "02:00:5e:10:00:07", "quince.hedge")]
    [InlineData("1790000000 02:00:5E:10:00:07 192.0.2.7 quince 01:02:00:5e:10:00:07", "192.0.2.7", "02:00:5e:10:00:07", "quince")]
    [InlineData("quince;192.0.2.7;02-00-5E-10-00-07;active", "192.0.2.7", "02:00:5e:10:00:07", "quince")]
    [InlineData("fd00::7 dev eth0 lladdr 02:00:5e:10:00:07 STALE", "fd00::7", "02:00:5e:10:00:07", null)]
    public void A_device_is_read_from_each_kind_of_list(string line, string address, string? hardware, string? name) =>
        Assert.Equal(new(address, hardware, name), Assert.Single(Neighbours.Read(line)));

    [Theory]
    [InlineData("192.0.2.9 dev eth0 FAILED")]
    [InlineData("192.0.2.9 dev eth0  INCOMPLETE")]
    [InlineData("? (192.0.2.9) at (incomplete) on en0")]
    [InlineData("? (192.0.2.9) at <incomplete> on eth0")]
    [InlineData("224.0.0.251 dev eth0 lladdr 01:00:5e:00:00:fb NOARP")]
    [InlineData("ff02::fb dev eth0 lladdr 33:33:00:00:00:fb NOARP")]
    public void What_nobody_answered_to_is_no_device(string line) => Assert.Empty(Neighbours.Read(line));

    [Fact]
    public void A_lease_over_several_lines_gives_its_name()
    {
        const string Leases = """
            lease 192.0.2.31 {
              starts 4 2026/03/14 06:00:00;
              binding state active;
              hardware ethernet 02:00:5e:10:00:31;
              client-hostname "frost-north";
            }
            lease 192.0.2.32 {
              hardware ethernet 02:00:5e:10:00:32;
            }
            """;
        var found = Neighbours.Read(Leases);
        Assert.Equal(new("192.0.2.31", "02:00:5e:10:00:31", "frost-north"), found[0]);
        Assert.Equal("192.0.2.32", found[1].Address);
    }

    [Theory]
    [InlineData(
        "Host key for [192.0.2.7]:2222 has changed\nREMOTE HOST IDENTIFICATION HAS CHANGED",
        "host-key-changed",
        "ssh-keygen -R \"[192.0.2.7]:2222\""
    )]
    [InlineData("Host key verification failed.", "host-key-unknown", "ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub")]
    [InlineData("connect to host 192.0.2.7 port 22: Network is unreachable", "own-network-missing", "ip route")]
    [InlineData("Could not resolve hostname frost: Temporary failure in name resolution", "resolver-failed", "resolvectl status")]
    public void Troubles_that_are_alike_are_told_apart(string message, string cause, string command) =>
        Assert.Equal((cause, command), (Neighbours.Trouble(message)!.CauseId, Neighbours.Trouble(message)!.Command));

    [Fact]
    public void The_one_that_came_is_most_likely_the_board()
    {
        // The computer at the bench, which got another address meanwhile, is not what is looked for.
        Assert.StartsWith(
            "Nothing came since",
            Neighbours.Compare(Neigh, Neigh + "\n192.0.2.40 dev eth0 lladdr 02:00:5e:10:00:40 STALE", null, [], ["192.0.2.40"]).Says[0]
        );
        var found = Neighbours.Compare(Neigh, Neigh + "\n192.0.2.31 dev eth0 lladdr 02:00:5e:10:00:31 REACHABLE", null, []);
        Assert.Equal("192.0.2.31", Assert.Single(found.New).Address);
        Assert.Equal(["192.0.2.31 came since: that is most likely the board."], found.Says);
    }

    [Fact]
    public void Its_own_console_or_its_name_tells_better_than_the_difference()
    {
        var after = Neigh + "\n192.0.2.31 dev eth0 lladdr 02:00:5e:10:00:31\n192.0.2.32 dev eth0 lladdr 02:00:5e:10:00:32";
        Assert.Contains("192.0.2.32 is the board: its console says", Neighbours.Compare(Neigh, after, null, ["192.0.2.32"]).Says[0]);
        Assert.StartsWith("2 devices came since", Neighbours.Compare(Neigh, after, null, []).Says[0]);
        Assert.Contains(
            "it calls itself quince.local",
            Neighbours.Compare("", "192.0.2.9 02:00:5e:10:00:09 quince.local", "quince", []).Says[0]
        );
    }

    [Fact]
    public void Nothing_and_addresses_of_their_own_are_told()
    {
        Assert.Contains("No address stands", Neighbours.Compare(Neigh, "hello", null, []).Says[0]);
        Assert.Contains("Nothing came", Neighbours.Compare(Neigh, Neigh, null, []).Says[0]);
        Assert.Contains(
            Neighbours.Compare("", "169.254.3.9 dev eth0", null, []).Says,
            s => s.StartsWith("169.254", StringComparison.Ordinal)
        );
    }

    [Theory]
    [InlineData(
        "@ WARNING: REMOTE HOST IDENTIFICATION HAS CHANGED! @\nHost key for 192.0.2.7 has changed and you have requested strict checking.",
        "host-key-changed",
        "ssh-keygen -R \"192.0.2.7\""
    )]
    [InlineData(
        "REMOTE HOST IDENTIFICATION HAS CHANGED!\n  remove with:\n  ssh-keygen -f \"/home/k/.ssh/known_hosts\" -R \"[quince.local]:2222\"",
        "host-key-changed",
        "ssh-keygen -R \"[quince.local]:2222\""
    )]
    [InlineData("ssh: Could not resolve hostname quince: Name or service not known", "name-not-resolved", null)]
    [InlineData("keeper@192.0.2.7: Permission denied (publickey,password).", "login-refused", null)]
    [InlineData("ssh: connect to host 192.0.2.7 port 22: Connection refused", "service-failed", null)]
    [InlineData("ssh: connect to host 192.0.2.7 port 22: No route to host", "network-no-link", null)]
    public void A_message_is_told_with_its_one_command(string text, string cause, string? command)
    {
        var trouble = Neighbours.Trouble(text)!;
        Assert.Equal((cause, command), (trouble.CauseId, trouble.Command));
    }

    [Fact]
    public void Another_message_is_none() => Assert.Null(Neighbours.Trouble("Welcome to the orchard"));

    [Property]
    public bool No_list_throws(string? before, string? after) => Neighbours.Compare(before ?? "", after ?? "", "x", []).Says.Count > 0;
}
