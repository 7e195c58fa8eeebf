using System.Text;

namespace Buttonhook.Core.Preparing;

/// <summary>A fixed address as the tools that set a network up read it.</summary>
public static class NetworkFiles
{
    /// <summary>Where it stands for ifupdown.</summary>
    public const string OfIfupdown = "/etc/network/interfaces.d/first-boot";

    /// <summary>
    /// For ifupdown (interfaces(5)): a pattern chooses the physical interface, and one logical interface has the settings. The address of the
    /// other kind is a second stanza of the same name.
    /// </summary>
    public static string Ifupdown(FixedAddress address)
    {
        const string logical = "first-boot";
        var named = address.Interface.Length > 0;
        var text = new StringBuilder(named ? $"auto {address.Interface}\n" : $"auto /{FixedAddress.AnyWired}={logical}\n");
        foreach (var own in address.Addresses)
        {
            var six = FixedAddress.IsV6(own);
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"iface {(named ? address.Interface : logical)} {(six ? "inet6" : "inet")} static\n\taddress {own}\n"
            );
            if (address.Gateways.FirstOrDefault(g => FixedAddress.IsV6(g) == six) is { } gate)
                text.Append("\tgateway ").Append(gate).Append('\n');
            if (address.NameServers.Count > 0)
                text.Append("\tdns-nameservers ").AppendJoin(' ', address.NameServers).Append('\n');
        }
        return text.ToString();
    }

    /// <summary>For systemd-networkd (systemd.network(5)).</summary>
    public static string Networkd(FixedAddress address)
    {
        var text = new StringBuilder($"[Match]\nName={address.Match}\n\n[Network]\n");
        foreach (var own in address.Addresses)
            text.Append("Address=").Append(own).Append('\n');
        foreach (var gate in address.Gateways)
            text.Append("Gateway=").Append(gate).Append('\n');
        foreach (var server in address.NameServers)
            text.Append("DNS=").Append(server).Append('\n');
        return text.ToString();
    }

    /// <summary>For netplan (its YAML reference), in the form that all its versions read.</summary>
    public static string Netplan(FixedAddress address)
    {
        var text = new StringBuilder("network:\n  version: 2\n  ethernets:\n    first-boot:\n");
        text.Append(
            System.Globalization.CultureInfo.InvariantCulture,
            $"      match:\n        name: \"{address.Match}\"\n      dhcp4: false\n      addresses: [{Quoted(address.Addresses)}]\n"
        );
        if (address.Gateways.Count > 0)
            text.Append("      routes:\n");
        foreach (var gate in address.Gateways)
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"        - to: \"{(FixedAddress.IsV6(gate) ? "::/0" : "0.0.0.0/0")}\"\n          via: \"{gate}\"\n"
            );
        if (address.NameServers.Count > 0)
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"      nameservers:\n        addresses: [{Quoted(address.NameServers)}]\n"
            );
        return text.ToString();
    }

    private static string Quoted(IEnumerable<string> texts) => string.Join(", ", texts.Select(t => $"\"{t}\""));
}
