using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>What an image lacks for what is wished: told before it is written, each with the way out.</summary>
public static class FirstBootLacks
{
    /// <summary>The sentences; none when the image has all that is asked of it, or when its root file system could not be read.</summary>
    public static IEnumerable<string> Of(FirstBoot set, IReadOnlyList<RecipeStep> steps, ImageTexts image)
    {
        if (
            image.CloudInit
            && set.Address is { Interface.Length: 0 }
            && (image.Root?.Network ?? NetworkSetup.Unknown) == NetworkSetup.Unknown
        )
            yield return "What sets this image's network up could not be read: the fixed address is left out. Name the interface, and it is written in the form that most systems read.";
        if (image.Root is not { } root)
            yield break;
        var packages = set.Packages.Concat(steps.Subjects(RecipeAction.Install)).ToHashSet();
        if (set.Keyboard is { } layout && !root.KeyboardTools)
            yield return $"The image has no console-setup: the layout {layout} cannot be set, and is left out. Use an image with it, or set it after the first login (apt-get install console-setup keyboard-configuration).";
        if (set.Locale is { } locale && FirstBootScript.GeneratedLocale(locale) is not null && !root.LocaleTools)
            yield return $"The image has no locale-gen (package locales): {locale} cannot be made, and is left out. C.UTF-8 needs nothing.";
        if (set.RemoteLogin && !root.SshServer && !packages.Contains("openssh-server"))
            yield return "The image has no server for remote logins: it is left out. Add openssh-server to the packages (the board needs the network for it), or use an image with it.";
        if (set.User is { } user && !root.Sudo)
            yield return $"The image has no sudo: {user} cannot become root, and only root can change the system. Add sudo to the packages, or keep a password for root.";
        if (set.Address is { } address)
        {
            if (address.Interface.Length == 0)
                yield return "No interface is named: the address goes to whatever is wired. Name one where the board has several sockets (ip -br link shows the names).";
            if (!image.CloudInit && root.Network is NetworkSetup.NetworkManager or NetworkSetup.Unknown)
                yield return root.Network == NetworkSetup.NetworkManager
                    ? "NetworkManager sets this image's network up: a fixed address is not written for it, and is left out. Set it after the first login with nmcli."
                    : "Nothing known here sets this image's network up: the fixed address is left out. Set it after the first login.";
        }
    }
}
