"""Settings before the first boot, on each system: what was asked for, what was said before, and what the system then says of itself."""
import re
import time

from product import Boot, Machine, Refused

PASSWORD = "codling-and-quince"
KEY = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIB8fsUHc5kOgBpf9Ln0t0xGVJ9TLrNBQvnGQqZbZk3cR lab"
WISHES = {
    "hostName": "", "user": "warden", "password": PASSWORD, "keys": [KEY], "remoteLogin": True, "wireless": None, "locale": "en_GB.UTF-8",
    "timeZone": "Europe/Lisbon", "keyboard": "gb",
    "address": {"interface": "", "address": "10.0.2.50/24 fec0::50/64", "gateway": "10.0.2.2 fec0::2", "nameServers": ["10.0.2.3"]},
    "usbNetwork": False, "videoMode": None, "consoleOn": False, "overlays": [], "lines": [], "packages": [],
    "commands": ["printf '%s\\n' \"it's ran\" >>/var/tmp/ran"], "recipes": [],
}

# What is asked for: how the system says that it is so, and which words say before that it cannot be.
CHECKS = {
    "host name": ("hostname; grep -c $(hostname) /etc/hosts", lambda s: "frost-" in s and not s.rstrip().endswith("\n0"), None),
    "user and groups": ("id warden", lambda s: "(warden)" in s and "(sudo)" in s, None),
    "public key": ("cat ~/.ssh/authorized_keys", lambda s: "AIB8fsUHc5kOgBpf9Ln0t0x" in s, None),
    "remote login": ("(ss -tln || netstat -tln) 2>/dev/null | grep ':22 '; ls /etc/ssh/*_key.pub", lambda s: ":22 " in s and "_key.pub" in s, "no server for remote logins"),
    "time zone": ("readlink /etc/localtime; date +%Z", lambda s: "Europe/Lisbon" in s and "WE" in s, None),
    "locale": ("grep -h LANG= /etc/default/locale /etc/locale.conf; locale -a | grep -i en_GB.utf", lambda s: "en_GB.UTF-8" in s and "en_GB.utf8" in s, "no locale-gen"),
    "keyboard": ("grep XKBLAYOUT /etc/default/keyboard", lambda s: re.search(r'XKBLAYOUT="?gb"?$', s, re.M), "no console-setup"),
    "address": ("ip -o address show scope global", lambda s: "10.0.2.50/24" in s, "fixed address is left out"),
    "address, IPv6": ("ip -o -6 address", lambda s: "fec0::50/64" in s, "fixed address is left out"),
    "gateway": ("ip route show default", lambda s: "via 10.0.2.2" in s, "fixed address is left out"),
    "gateway, IPv6": ("ip -6 route show default", lambda s: "via fec0::2" in s, "fixed address is left out"),
    "name server": ("cat /etc/resolv.conf; resolvectl dns 2>/dev/null", lambda s: "10.0.2.3" in s, "fixed address is left out"),
    "commands, once": ("cat /var/tmp/ran", lambda s: s.strip().count("it's ran") == 1, None),
    "no unit failed": ("systemctl --failed --no-legend --plain 2>/dev/null | grep -v '^$'; echo end", lambda s: s.strip() == "end" or "systemctl" in s and "not found" in s, None),
}


def run(product, system, image, say):
    """The results of one system: {what: (holds | refused | fails, words)}."""
    board = product.board(system["name"], image)
    product.prepared(board)
    # Two boards of one bench may not be called the same.
    product.put(f"/api/boards/{board}/first-boot", {**WISHES, "hostName": f"frost-{system['name']}"})
    told = product.prepared(board)
    if told["problems"]:
        return {"first boot": ("refused", "; ".join(p["text"] for p in told["problems"]))}
    notes = told["notes"]
    if by_hand := next((n for n in notes if "nothing starts" in n or "nothing is set to start" in n), None):
        if not system.get("by hand"):
            return {"first boot": ("refused", by_hand)}
    card = product.written(board, image)
    machine = Machine(card)
    boot = Boot(product, board, machine)
    results = {}
    try:
        began = time.monotonic()
        boot.log_in("warden", PASSWORD)
        results["login with the password"] = ("holds", f"{time.monotonic() - began:.0f} s in the emulator")
        # What cloud-init and the script end with comes behind the login.
        boot.until(lambda: boot.view()["quiet"] and boot.view()["quiet"]["seconds"] > 12, 600)
        if any(f["path"].endswith("/firstboot") for f in told["files"]):
            boot.until(lambda: "firstboot: all steps are done" in boot.log() or "firstboot: FAILED" in boot.log(), 900)
        boot.send("cloud-init status --wait 2>/dev/null; echo", 900)
        for what, (command, holds, refusal) in CHECKS.items():
            try:
                said = "\n".join(boot.lines(command))
            except Refused as e:
                results[what] = ("fails", str(e)[:200])
                continue
            before = next((n for n in notes if refusal and refusal in n), None)
            ok = holds(said)
            results[what] = ("holds", "") if ok else ("refused", before) if before else ("fails", said[-160:])
            say(f"    {what}: {results[what][0]} {'' if ok else said[-160:]!r}")
    except Refused as e:
        results["login with the password"] = ("fails", str(e)[:400])
    finally:
        open(f"{system['folder']}/{system['name']}.first-boot.log", "w").write(boot.log())
        boot.end()
        machine.kill()
    return results
