"""Off the card: the plan's own commands on each system, then a start from the new medium alone, from the old card alone, and with both in."""
import json
import os
import re
import subprocess
import tempfile
import time

from product import Boot, Machine, Refused

# How the two media are fitted: the card, and what it is moved to.
TARGETS = {"ssd": ("virtio", "nvme"), "usb": ("virtio", "usb")}


def starts(product, board, drives, kinds, user, what):
    machine = Machine(*drives, kind=kinds)
    boot = Boot(product, board, machine)
    try:
        boot.log_in(user, "orchard")
        root = "\n".join(boot.lines("df -P / | tail -n 1; cat /proc/mounts | grep -E ' / | /boot'", 240))
        boot.send("sync")
        return root
    except Refused as e:
        raise Refused(f"{what}: {e}") from None
    finally:
        boot.end()
        machine.kill()


def put_back(card):
    """What a person does to let the card start its own root again: the file as it was, which lies beside it."""
    folder = tempfile.mkdtemp(prefix="lab-card-", dir="/var/tmp")
    table = json.loads(subprocess.run(["sfdisk", "-J", card], capture_output=True, text=True, check=True).stdout)["partitiontable"]
    back = 0
    try:
        for part in table["partitions"]:
            # A file system that this computer's kernel does not know holds no such file here.
            if subprocess.run(["mount", "-o", f"loop,offset={part['start'] * 512},sizelimit={part['size'] * 512}", card, folder], stderr=subprocess.DEVNULL).returncode:
                continue
            for at, _, files in os.walk(os.path.join(folder, "boot") if os.path.isdir(os.path.join(folder, "boot")) else folder):
                for name in files:
                    if name.endswith(".before"):
                        os.replace(os.path.join(at, name), os.path.join(at, name[: -len(".before")]))
                        back += 1
            subprocess.run(["umount", folder], check=True)
    finally:
        os.rmdir(folder)
    if back == 0:
        raise Refused("no file as it was lies on the card")


def run(product, system, image, say):
    results = {}
    user = "keeper" if "user" in system["options"] else "root"
    for target in [os.environ.get("LAB_TARGET", "ssd")]:
        board = product.board(f"{system['name']} to {target}", image)
        card = product.written(board, image)
        kept = f"{card}.{target}"
        os.rename(card, kept)
        disk = f"/var/tmp/lab-target-{os.getpid()}.img"
        with open(disk, "wb") as new:
            new.truncate(6 << 30)
        machine = Machine(kept, disk, kind=TARGETS[target])
        boot = Boot(product, board, machine)
        try:
            boot.log_in(user, "orchard")
            plan = lambda: next(p for p in product.get(f"/api/boards/{board}/move")["plans"] if p["target"] == target)  # noqa: E731
            look = next(s for s in plan()["steps"] if s["command"])
            boot.send(look["command"], 240)
            boot.until(lambda: plan()["source"], 60)
            shown = plan()
            say(f"    source {shown['source']}, candidates {[(c['device'], c['refused']) for c in shown['candidates']]}")
            free = next(c for c in shown["candidates"] if not c["refused"])
            product.post(f"/api/boards/{board}/move", {"target": target, "device": free["device"], "confirm": free["confirm"]})
            refused = next((s["text"] for s in plan()["steps"] if s["state"] == "failed"), None)
            if refused:
                results[f"to {target}"] = ("refused", refused)
                say(f"    to {target}: refused {refused}")
                continue
            for n, step in enumerate(plan()["steps"]):
                if not step["command"] or step["state"] == "proven":
                    continue
                began = time.monotonic()
                if os.environ.get("LAB_CUT") and step["text"].startswith("Copy all files"):
                    # The supply goes in the middle of the copy: the card was only read.
                    product.post(f"/api/boots/{boot.id}/command", {"text": step["command"], "anyway": False})
                    time.sleep(20)
                    boot.end()
                    machine.kill()
                    old = starts(product, board, [kept], ["virtio"], user, "old card alone, after a power cut in the copy")
                    return {f"to {target}: old card starts after a power cut in the copy": ("holds", old.split("\n")[0][:120])}
                boot.send(step["command"], 1800)
                done = boot.until(lambda: (s := plan()["steps"][n])["state"] != "open" and s, 1800)
                say(f"    {step['text'][:60]}: {done['state']} {done['tells'] or ''} ({time.monotonic() - began:.0f} s)")
                if done["state"] != "proven":
                    raise Refused(f"{step['text'][:80]}: {done['tells']}")
            boot.send("sync")
            boot.end()
            machine.kill()
            table = subprocess.run(["sfdisk", "--verify", disk], capture_output=True, text=True)
            results[f"to {target}: table is whole"] = ("holds", "") if table.returncode == 0 else ("fails", (table.stdout + table.stderr)[-200:])
            if any(step["text"].startswith("Leave the card in") for step in plan()["steps"]):
                # Only the root moved: the card starts it, and with its file put back as it was, itself again.
                both = starts(product, board, [kept, disk], ["virtio", TARGETS[target][1]], user, "card and new medium")
                ok = re.search(r"^/dev/(?:nvme|sd)", both)
                results[f"to {target}: the card starts the copy"] = ("holds" if ok else "fails", both.split("\n")[0][:120])
                put_back(kept)
                old = starts(product, board, [kept], ["virtio"], user, "old card alone, its file put back")
                results[f"to {target}: old card still starts"] = ("holds", old.split("\n")[0][:120])
                continue
            alone = starts(product, board, [disk], [TARGETS[target][1]], user, "new medium alone")
            say(f"    new medium alone: {alone!r}")
            results[f"to {target}: starts from it alone"] = ("holds", alone.split("\n")[0][:120])
            old = starts(product, board, [kept], ["virtio"], user, "old card alone")
            results[f"to {target}: old card still starts"] = ("holds", old.split("\n")[0][:120])
            both = starts(product, board, [disk, kept], [TARGETS[target][1], "virtio"], user, "both in, new one first")
            ok = "nvme" in both or "sda" in both
            results[f"to {target}: both in"] = ("holds" if ok else "fails", both.split("\n")[0][:120])
        except Refused as e:
            results[f"to {target}"] = ("fails", str(e)[:400])
        finally:
            try:
                open(f"{system['folder']}/{system['name']}.off-card-{target}.log", "w").write(boot.log())
            except Exception:
                pass
            boot.end()
            machine.kill()
            for file in (disk, kept):
                if os.path.exists(file):
                    os.remove(file)
    return results
