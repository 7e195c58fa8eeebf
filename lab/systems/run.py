#!/usr/bin/env python3
"""Runs what the product hands out on real systems in the emulator: run.py FOLDER [dry-boot|first-boot|first-login|off-card] [SYSTEM...]. Writes FOLDER/results.json."""
import json
import os
import sys
import time
import traceback

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
from product import Product, Refused, ROOT  # noqa: E402

HERE = os.path.dirname(os.path.abspath(__file__))
KINDS = ["dry-boot", "first-boot", "first-login", "off-card"]


def systems(folder):
    for line in open(f"{HERE}/systems"):
        if line.startswith("#") or not line.strip():
            continue
        name, suite, init, root, table, interfaces, options, packages = line.split(None, 7)
        yield {"name": name, "suite": suite, "init": init, "root": root, "table": table, "interfaces": interfaces, "options": options.split(","), "packages": packages.split(), "folder": folder}


def main():
    folder, *words = sys.argv[1:]
    kinds = [w for w in words if w in KINDS] or KINDS
    names = [w for w in words if w not in KINDS]
    path = f"{folder}/results.json"
    results = json.load(open(path)) if os.path.exists(path) else {}
    product = Product(port=int(os.environ.get("LAB_PORT", "5900")), app=os.environ.get("LAB_APP"))
    try:
        for system in systems(folder):
            if names and system["name"] not in names or not os.path.exists(f"{folder}/{system['name']}.img"):
                continue
            image = product.shelve(f"{folder}/{system['name']}.img")
            for kind in kinds:
                print(f"{time.strftime('%T')} {system['name']}: {kind}", flush=True)
                module = __import__(kind.replace("-", "_"))
                try:
                    found = module.run(product, system, image, lambda t: print(t, flush=True))
                except Refused as e:
                    found = {kind: ("fails", str(e)[:400])}
                except Exception:
                    found = {kind: ("fails", traceback.format_exc()[-600:])}
                results = json.load(open(path)) if os.path.exists(path) else {}
                # A copy onto another medium stands beside the one before.
                target = f"to {os.environ.get('LAB_TARGET', 'ssd')}"
                kept = {k: v for k, v in results.get(system["name"], {}).get(kind, {}).items() if kind == "off-card" and k != kind and (os.environ.get("LAB_CUT") or not k.startswith(target))}
                results.setdefault(system["name"], {})[kind] = kept | found
                json.dump(results, open(path, "w"), indent=1)
                print("  " + ", ".join(f"{what}: {how}" for what, (how, _) in found.items()), flush=True)
    finally:
        product.end()


main()
