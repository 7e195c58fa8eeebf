"""The first login on each system: the tasks that the product offers, sent in its order by its own way, ticked by what the console shows."""
import re
import time

from product import Boot, Machine, Refused

PASSWORD = "codling-and-quince"


def run(product, system, image, say):
    board = product.board(f"{system['name']} first login", image)
    user = "keeper" if "user" in system["options"] else "root"
    card = product.written(board, image) if "cidata" not in system["options"] else product.written(board, image)
    machine = Machine(card)
    boot = Boot(product, board, machine)
    results = {}

    def tasks():
        return {t["id"]: t for t in product.get(f"/api/boards/{board}/first-login")["tasks"]}

    def answer_password():
        """What asks for a new password gets it, through the product's own way."""
        if re.search(r"assword: ?$", boot.prompt()):
            product.post(f"/api/boots/{boot.id}/password", {"old": "", "new": PASSWORD})
            boot.until(lambda: (t := boot.view()["typing"]) and t["state"] != "waiting", 120)

    def send(task, name="pearmain"):
        boot.send(task["command"].replace("{name}", name), 240)
        answer_password()
        boot.until(lambda: re.search(r"[$#] ?$", boot.prompt()), 240)
        time.sleep(1)
        return tasks()[task["id"]]

    def note(task, how, words=""):
        results[task["title"]] = (how, words)
        say(f"    {task['title']}: {how} {words}")

    try:
        boot.log_in(user, "orchard")
        listed = tasks()
        if not listed:
            raise Refused("no list is made")
        # Before anything is known nothing is locked.
        for lock in ("root", "root-remote"):
            if not listed[lock]["needs"]:
                note(listed[lock], "fails", "offered although it may be the only way in")
        for id in ("tools", "host", "address", "grown", "clock"):
            done = send(listed[id])
            if id == "address" and done["state"] == "open":
                note(done, "refused", "the system has no address: nothing of the image sets its network up")
                continue
            ok = done["state"] == "proven" or id == "tools" and done["tells"] or id == "grown" and done["tells"]
            note(done, "holds" if ok else "fails", done["tells"] or "")
            listed = tasks()
        made = listed.get("user")
        if made and made["needs"]:
            note(made, "refused", made["needs"])
        elif made:
            made = send(made)
            note(made, "holds" if made["state"] == "proven" else "fails", made["tells"] or made["caution"] or "")
            # The new user logs in, and what may be locked by them is locked; what may not says why.
            boot.type("exit\r")
            boot.log_in("pearmain", PASSWORD)
            second = send(tasks()["second"])
            note(second, "holds" if second["state"] == "proven" else "refused", second["tells"] or "")
            listed = tasks()
            for id in [i for i in listed if i.startswith("lock-")] + ["root", "root-remote"]:
                task = listed[id]
                if task["needs"]:
                    note(task, "refused", task["needs"])
                    continue
                boot.send(task["command"], 240)
                if "assword" in boot.prompt():
                    # sudo asks the person; a command that is sent meanwhile is held back.
                    try:
                        product.post(f"/api/boots/{boot.id}/command", {"text": "echo lost", "anyway": True})
                        note(task, "fails", "a command was sent into the question for a secret")
                    except Refused:
                        pass
                    boot.type(PASSWORD + "\r")
                    boot.until(lambda: re.search(r"[$#] ?$", boot.prompt()), 240)
                    time.sleep(1)
                done = tasks()[id]
                note(done, "holds" if done["state"] == "proven" else "fails", done["tells"] or "")
            # Somebody still gets in.
            boot.type("exit\r")
            boot.log_in("pearmain", PASSWORD)
            results["somebody still gets in"] = ("holds", "pearmain logged in again")
        log = boot.log()
        results["no secret in the journal"] = ("holds", "") if PASSWORD not in log and not any(PASSWORD in str(e.get("text")) for e in boot.view()["events"]) else ("fails", "the password stands in it")
    except Refused as e:
        results["first login"] = ("fails", str(e)[:400])
    finally:
        open(f"{system['folder']}/{system['name']}.first-login.log", "w").write(boot.log())
        boot.end()
        machine.kill()
    return results
