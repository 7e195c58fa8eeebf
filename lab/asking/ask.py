#!/usr/bin/env python3
"""A lab of asking: starts systems with one thing broken in the emulator, lets the product ask who waits at the console, and compares with the truth.

    ./buttonhook lab asking FOLDER [PATTERN...]

Each case is an image of the lab of images (lab/ways.py and its neighbours), so what is broken is known beforehand. The round is the one that a person begins
with a press. Kept is the first cause before and after it, what was typed, how long it took, and the checksum of the medium when the round began and when it
had ended.
"""
import concurrent.futures
import hashlib
import json
import os
import subprocess
import sys
import threading
import time
import urllib.request

HERE = os.path.dirname(os.path.abspath(__file__))
sys.path[:0] = [os.path.dirname(HERE), os.path.join(os.path.dirname(HERE), "systems")]
import bench
import lab
from product import Product, Refused

QUIET, MOST = 75, 400


def checksum(path):
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


class Machine:
    """A system in the emulator, its console on a pseudo-terminal."""

    def __init__(self, system, image, scratch):
        words = bench.machine(system, image, scratch)
        self.process = subprocess.Popen(words + ["-serial", "pty", "-S", "-monitor", "stdio"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
        self.path = ""
        for line in self.process.stdout:
            if b"char device redirected to" in line:
                self.path = line.split(b"char device redirected to ")[1].split()[0].decode()
                break
        threading.Thread(target=lambda: [None for _ in self.process.stdout], daemon=True).start()

    def begin(self):
        self.process.stdin.write(b"cont\n")
        self.process.stdin.flush()

    def end(self):
        self.process.kill()
        self.process.wait()


def waits(product, boot, machine):
    """Until the board has been quiet for a while; what it stands at."""
    begun = time.time()
    while time.time() < begun + MOST:
        view = product.get(f"/api/boots/{boot}")
        if not view["live"] or machine.process.poll() is not None:
            return view
        if view["quiet"] and view["quiet"]["seconds"] > (4 if view["prompt"].strip() else QUIET):
            return view
        time.sleep(0.5)
    return product.get(f"/api/boots/{boot}")


def first(diagnosis):
    return diagnosis["causes"][0]["id"] if diagnosis["causes"] else ""


def tried(product, boot, offered, machine):
    """What is offered is typed with one press; what came of the start that follows."""
    if not offered:
        return None
    try:
        product.post(f"/api/boots/{boot}/tried", {"trialId": offered["id"]})
    except Refused as e:
        return {"id": offered["id"], "lines": offered["lines"], "edit": offered["edit"], "verdict": "refused", "says": str(e)}
    begun = time.time()
    while time.time() < begun + MOST and machine.process.poll() is None:
        now = product.get(f"/api/boots/{boot}/asked")["tried"][-1]
        view = product.get(f"/api/boots/{boot}")
        if now["verdict"] != "watched" or view["quiet"] and view["quiet"]["seconds"] > QUIET:
            break
        time.sleep(1)
    return {"id": offered["id"], "lines": offered["lines"], "edit": offered["edit"], "verdict": now["verdict"], "says": now["says"], "seconds": round(time.time() - begun, 1)}


def lasts(build, edit, name):
    """The edit that proved itself, made on a new card: does it start without a hand?"""
    system = build()
    if edit["where"] != "command-line":
        return None
    system.options = system.options.replace(edit["before"], edit["after"]) if edit["before"] not in (None, "root=") else f"{system.options} {edit['after']}"
    bench.make(system, f"{name}.parts", f"{name}.img")
    system.seconds, system.quiet = 400, 90
    started, _, _ = bench.start(system, f"{name}.img", f"{name}.console")
    for left in (f"{name}.img", f"{name}.console"):
        os.remove(left)
    return started


def one(product, name, build, causes, out):
    kept = f"{out}/{name}.json"
    if os.path.exists(kept):
        return json.load(open(kept))
    system = build()
    image = f"{out}/{name}.img"
    try:
        bench.make(system, f"{out}/{name}.parts", image)
        machine = Machine(system, image, f"{out}/{name}")
        try:
            board = product.post(
                "/api/boards",
                {
                    "nickname": name[:40], "modelId": "quill-v", "revisionId": "B", "memoryMiB": 4096, "toldBy": ["mark"], "simulated": False, "faultId": None,
                    "connected": {"cardGb": None, "screen": False, "network": False, "supplyId": None, "adapterId": None},
                },
            )["board"]["id"]
            boot = product.post(f"/api/boards/{board}/boots", {"source": machine.path, "speed": 115200})["id"]
            product.post(f"/api/boots/{boot}/power", {"on": True})
            machine.begin()
            begun = time.time()
            view = waits(product, boot, machine)
            before = product.get(f"/api/boots/{boot}/diagnosis")
            asked = product.get(f"/api/boots/{boot}/asked")
            sum_before = checksum(image)
            stood, said = time.time(), ""
            try:
                product.post(f"/api/boots/{boot}/asked")
                while (asked := product.get(f"/api/boots/{boot}/asked"))["state"] == "waiting":
                    time.sleep(0.3)
                said = asked["says"]
            except Refused as e:
                said = str(e)
            seconds = time.time() - stood
            after = product.get(f"/api/boots/{boot}/diagnosis")
            sum_after = checksum(image)
            trial = tried(product, boot, asked.get("trial"), machine)
            product.post(f"/api/boots/{boot}/end")
            log = urllib.request.urlopen(f"{product.base}/api/boots/{boot}/log", timeout=60).read()
            open(f"{out}/{name}.log", "wb").write(log)
            told = {
                "way": system.way, "truth": causes, "who": asked["who"], "state": asked["state"], "says": said, "prompt": view["prompt"],
                "before": first(before), "after": first(after), "share": round(after["causes"][0]["probability"], 3) if after["causes"] else 0,
                "steps": [{k: s[k] for k in ("command", "resultId", "says", "answer", "milliseconds")} for s in asked["steps"]],
                "trial": trial, "seconds": round(seconds, 1), "boot": round(stood - begun, 1), "unchanged": sum_before == sum_after,
            }
        finally:
            machine.end()
    finally:
        for left in (image, f"{out}/{name}.vars", f"{out}/{name}.code"):
            if os.path.exists(left):
                os.remove(left)
    if trial and trial["verdict"] == "proved" and (edit := trial["edit"]):
        trial["lasts"] = lasts(build, edit, f"{out}/{name}")
    json.dump(told, open(kept, "w"), indent=1)
    good = told["after"] in causes
    print(
        f"{'  ' if good else '! '}{name:34} {told['who'] or '-':44} {told['before']:24} -> {told['after']:24} {len(told['steps'])} commands, {told['seconds']} s"
        f"{'' if told['unchanged'] else ' CHANGED'}{' | trial ' + trial['verdict'] + (', the edit boots alone: ' + str(trial['lasts']) if 'lasts' in trial else '') if trial else ''}{'' if good else ' (right: ' + ','.join(causes) + ') ' + said}",
        flush=True,
    )
    return told


def main():
    out, patterns = os.path.abspath(sys.argv[1]), sys.argv[2:]
    os.makedirs(out, exist_ok=True)
    cases = [(name, build, causes) for name, build, boots, causes in lab.chosen(patterns) if boots is False]
    workers = int(os.environ.get("LAB_WORKERS", "2"))
    product = Product(app=os.environ.get("LAB_APP"), port=int(os.environ.get("LAB_PORT", "5931")))
    try:
        with concurrent.futures.ThreadPoolExecutor(workers) as pool:
            for work in [pool.submit(one, product, *c, out) for c in cases]:
                try:
                    work.result()
                except Exception as e:  # noqa: BLE001 - one case that cannot be made is told, and the others go on
                    print(f"x {e}", flush=True)
    finally:
        product.end()


if __name__ == "__main__":
    main()
