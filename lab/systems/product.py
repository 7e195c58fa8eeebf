"""The product as the lab uses it: a server with a data folder of its own, asked as its page asks it; and real systems in the emulator."""
import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
import urllib.error
import urllib.request

ROOT = os.path.dirname(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))


class Refused(Exception):
    pass


class Product:
    def __init__(self, port=5900, app=None):
        self.data = tempfile.mkdtemp(prefix="lab-data-", dir="/var/tmp")
        self.base = f"http://127.0.0.1:{port}"
        self.app = app = app or os.path.join(ROOT, ".build/app/Buttonhook.App.dll")
        self.process = subprocess.Popen(["dotnet", app, "serve", "--data", self.data, "--urls", self.base], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
        for _ in range(600):
            try:
                self.get("/api/bench")
                break
            except (OSError, urllib.error.URLError):
                if self.process.poll() is not None:
                    raise RuntimeError(self.process.stderr.read().decode())
                time.sleep(0.1)
        self.post("/api/profiles/imports", {"name": "quill-v.yaml", "yaml": open(f"{ROOT}/data/demo/boards/quill-v.yaml").read()})

    def request(self, method, path, body=None):
        data = None if body is None else json.dumps(body).encode()
        asked = urllib.request.Request(self.base + path, data=data, method=method, headers={"Content-Type": "application/json"} if data else {})
        try:
            with urllib.request.urlopen(asked, timeout=120) as answer:
                text = answer.read()
        except urllib.error.HTTPError as e:
            problem = e.read().decode()
            raise Refused(f"{method} {path}: {e.code} {problem}") from None
        return json.loads(text) if text else None

    def get(self, path):
        return self.request("GET", path)

    def post(self, path, body=None):
        return self.request("POST", path, {} if body is None else body)

    def put(self, path, body):
        return self.request("PUT", path, body)

    def shelve(self, image):
        """Looks into an image and puts it on the shelf; its id."""
        looked = self.post("/api/inspections", {"path": image, "boardId": None, "sum": None})["id"]
        while (state := self.get(f"/api/inspections/{looked}"))["running"]:
            time.sleep(0.3)
        if state.get("problem"):
            raise Refused(str(state["problem"]))
        return self.post(f"/api/inspections/{looked}/card")["id"]

    def board(self, name, image):
        board = self.post(
            "/api/boards",
            {
                "nickname": name, "modelId": "quill-v", "revisionId": "B", "memoryMiB": 4096, "toldBy": ["mark"], "simulated": False, "faultId": None,
                "connected": {"cardGb": None, "screen": False, "network": True, "supplyId": None, "adapterId": None},
            },
        )["board"]["id"]
        self.put(f"/api/boards/{board}/image", {"imageId": image})
        return board

    def prepared(self, board):
        while (p := self.get(f"/api/boards/{board}/preparation"))["looking"]:
            time.sleep(0.3)
        return p

    def written(self, board, image):
        """A copy of the image with the first-boot files on it; its path."""
        self.post(f"/api/boards/{board}/card", {"slotId": "copy", "confirm": None, "checkSize": False, "anyway": True, "endCapture": True})
        while (write := self.get(f"/api/boards/{board}/card"))["step"] not in ("done", "failed", "cancelled", "interrupted"):
            time.sleep(0.5)
        if write["step"] != "done":
            raise Refused(str(write["problem"]))
        return os.path.join(self.data, "images", f"prepared-{image}.img")

    def end(self):
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(20)
        shutil.rmtree(self.data, ignore_errors=True)


class Machine:
    """A machine with UEFI firmware and its console on a pseudo-terminal."""

    def __init__(self, *drives, kind="virtio", memory=1024, net=True):
        self.vars = tempfile.NamedTemporaryFile(suffix=".fd")
        shutil.copy("/usr/share/OVMF/OVMF_VARS_4M.fd", self.vars.name)
        command = ["qemu-system-x86_64", "-machine", "q35", "-accel", os.environ.get("LAB_ACCEL", "tcg") + ("" if os.environ.get("LAB_ACCEL") else ",thread=multi"), "-m", str(memory), "-display", "none", "-monitor", "none",
                   "-drive", "if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.fd", "-drive", f"if=pflash,format=raw,file={self.vars.name}", "-serial", "pty"]
        fitted = {
            "virtio": "virtio-blk-pci,drive=d{0},bootindex={0}", "card": "sd-card,drive=d{0}", "nvme": "nvme,serial=lab{0},drive=d{0},bootindex={0}",
            "usb": "usb-storage,drive=d{0},bootindex={0}", "ata": "ide-hd,drive=d{0},bootindex={0}",
        }
        kinds = [kind] * len(drives) if isinstance(kind, str) else kind
        if "usb" in kinds:
            command += ["-device", "qemu-xhci"]
        for n, (path, how) in enumerate(zip(drives, kinds)):
            command += ["-drive", f"file={path},format=raw,if=none,id=d{n},cache=writeback"]
            if how == "card":
                command += ["-device", "sdhci-pci"]
            command += ["-device", fitted[how].format(n)]
        command += ["-netdev", "user,id=n,restrict=on,ipv6=on", "-device", "virtio-net-pci,romfile=,netdev=n"] if net else ["-nic", "none"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL)
        while True:
            line = self.process.stdout.readline().decode()
            if not line:
                raise RuntimeError("the emulator ended")
            if found := re.search(r"(/dev/pts/\d+)", line):
                self.console = found.group(1)
                return

    def off(self):
        return self.process.poll() is not None

    def kill(self):
        self.process.kill()
        self.process.wait()


class Boot:
    """A boot of a machine, captured by the product."""

    def __init__(self, product, board, machine):
        self.product, self.machine = product, machine
        self.id = product.post(f"/api/boards/{board}/boots", {"source": machine.console, "speed": 115200})["id"]

    def view(self):
        return self.product.get(f"/api/boots/{self.id}")

    def log(self):
        with urllib.request.urlopen(f"{self.product.base}/api/boots/{self.id}/log", timeout=60) as answer:
            return answer.read().decode(errors="replace")

    def until(self, what, seconds=900):
        """Waits until a text stands in the log (a function: until it gives something)."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if callable(what):
                if found := what():
                    return found
            elif what in self.log():
                return True
            if self.machine.off():
                raise Refused("the machine went off by itself")
            time.sleep(0.5)
        raise Refused(f"{what if isinstance(what, str) else 'what was waited for'} did not come within {seconds} s; the end: {self.log()[-300:]!r}")

    def prompt(self):
        return self.view()["prompt"]

    def log_in(self, user, password):
        """Waits for the login and for what is still printed behind it, then lets the product log in."""
        # The kernel may go on in the line of the login.
        self.until(lambda: re.search(r"login: ?(?:$|\[)", self.log(), re.M), 1500)
        self.until(lambda: (q := self.view()["quiet"]) and q["seconds"] > 8, 900)
        self.product.post(f"/api/boots/{self.id}/login", {"user": user, "password": password})
        typing = self.until(lambda: (t := self.view()["typing"]) and t["state"] != "waiting" and t, 120)
        if typing["state"] != "done":
            raise Refused(f"login: {typing['says']}")
        self.until(lambda: re.search(r"[$#] ?$", self.prompt()), 120)

    def send(self, command, seconds=120):
        """Sends a command as the page does; what it printed."""
        for _ in range(20):
            if re.search(r"[$#] ?$", self.prompt()):
                break
            # What was printed in between has taken the prompt away: Enter brings it back.
            self.type("\r")
            time.sleep(1.5)
        before = len(self.log())
        self.product.post(f"/api/boots/{self.id}/command", {"text": command, "anyway": False})
        mark = time.monotonic()
        self.until(lambda: time.monotonic() - mark > 1.2 and re.search(r"[$#:] ?$", self.prompt()) and len(self.log()) > before + len(command) // 2, seconds)
        # Colours, and what a new shell tells a terminal of each command (OSC 3008).
        return re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]|\x1b\][^\x07\x1b]*(?:\x07|\x1b\\)", "", self.log()[before:]).replace("\r", "")

    def type(self, text):
        self.product.post(f"/api/boots/{self.id}/typed", {"text": text})

    def lines(self, command, seconds=120):
        """What a command printed, without the line of the command itself and the prompt behind it."""
        said = self.send(command, seconds).split("\n")
        return [l for l in said[1:-1] if l.strip() and command[:30] not in l]

    def end(self):
        try:
            self.product.post(f"/api/boots/{self.id}/end")
        except Refused:
            pass
