#!/usr/bin/env python3
"""Takes pictures of the medium's screen for the documentation: pictures.py IMAGE FOLDER"""
import os
import sys
import tempfile
import time

from test import Stick, marked
from vm import VM, drive

# Software emulation on a machine that does other things beside: everything takes so many times as long.
SLOW = float(os.environ.get("SLOW", "1"))


def starts(vm, folder):
    vm.wait_for("executed automatically", 120)
    vm.picture(os.path.join(folder, "start.png"))


def bench(image, folder, work):
    """The start, and the demonstration's bench at work, on a dark ground and on a light one."""
    stick = Stick(image, work)
    with VM(stick.file, folder=work, memory=2048) as vm:
        starts(vm, folder)
        vm.say("\x0e\r")
        vm.wait_for("press Enter", 240)
        time.sleep(SLOW * 25)
        # The second drive, planned as it is proposed, and armed by its label.
        for text in ("/K7Q41M\n", "", "\n", "K7Q41M\n"):
            vm.type(text) if text else vm.key("right")
            time.sleep(SLOW * 3)
        time.sleep(SLOW * 12)
        vm.picture(os.path.join(folder, "console-dark.png"))
        vm.key("t")
        time.sleep(2)
        vm.picture(os.path.join(folder, "console-light.png"))


def machine(image, folder, work):
    """The machine's page, started from a disc, so that records are in memory."""
    carry = os.path.join(work, "carry.img")
    os.system(f"truncate -s 64M {carry} && mkfs.vfat -F 32 -n CARRY {carry} >/dev/null")
    attached = [["-drive", f"if=none,id=carry,format=raw,file={carry}", "-device", "usb-storage,drive=carry,bus=xhci.0,serial=CARRY001,removable=on"]]
    with VM(image, how="disc", drives=attached, folder=work) as vm:
        vm.wait_for("press Enter", 240)
        time.sleep(8)
        vm.key("f8")
        time.sleep(6)
        vm.picture(os.path.join(folder, "machine.png"))


def end(image, folder, work):
    """A list at work, and its end."""
    stick = Stick(image, work)
    listed = ["FM0500T3XW8D", "QA480R61YV5C"]
    stick.put("unattended.csv", "serial,plan,approved by\n" + "".join(f"{s},--passes 'a5',Tomasz Averill\n" for s in listed))
    attached = [drive("sata", marked(os.path.join(work, s), 64, s), s) for s in listed]
    attached.append(drive("usb", marked(os.path.join(work, "third"), 8, "third"), "QS1000E47J9P"))
    with VM(stick.file, drives=attached, folder=work) as vm:
        vm.wait_for("press Enter", 240)
        time.sleep(3)
        vm.picture(os.path.join(folder, "list-at-work.png"))
        time.sleep(35)
        vm.picture(os.path.join(folder, "end.png"))


def main(image, folder, *names):
    os.makedirs(folder, exist_ok=True)
    for picture in (bench, machine, end):
        if not names or picture.__name__ in names:
            with tempfile.TemporaryDirectory(prefix="jurex-picture-") as work:
                picture(os.path.abspath(image), os.path.abspath(folder), work)


if __name__ == "__main__":
    main(*sys.argv[1:])
