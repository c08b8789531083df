"""Types texts into a spreadsheet program, each into a cell, and tells what became of them.

It is run by a Python that has the program's own module `uno`, as `make test-spreadsheet` says.
Standard input has the texts as a list of JSON, standard output gets their kinds: FORMULA, VALUE,
TEXT or EMPTY.
"""

import json
import os
import subprocess
import sys
import tempfile
import time

import uno
from com.sun.star.beans import PropertyValue
from com.sun.star.connection import NoConnectException

_APART = 4  # rows: some formulas fill more than one


def named(name, value):
    found = PropertyValue()
    found.Name, found.Value = name, value
    return found


def connected(pipe):
    """What the program is reached by, once it has started."""
    local = uno.getComponentContext()
    resolver = local.ServiceManager.createInstanceWithContext(
        "com.sun.star.bridge.UnoUrlResolver", local
    )
    for _ in range(600):
        try:
            return resolver.resolve(f"uno:pipe,name={pipe};urp;StarOffice.ComponentContext")
        except NoConnectException:
            time.sleep(0.1)
    raise TimeoutError("the program did not start")


def kinds_of(texts, context):
    made = context.ServiceManager.createInstanceWithContext
    desktop = made("com.sun.star.frame.Desktop", context)
    book = desktop.loadComponentFromURL("private:factory/scalc", "_blank", 0, ())
    frame, typing = book.CurrentController.Frame, made("com.sun.star.frame.DispatchHelper", context)
    sheet, kinds = book.Sheets.getByIndex(0), []
    book.LookUpLabels = False  # by which a text in another cell becomes a name
    for number, text in enumerate(texts):
        row = number * _APART
        place = (named("ToPoint", f"$C${row + 1}"),)
        typing.executeDispatch(frame, ".uno:GoToCell", "", 0, place)
        typing.executeDispatch(frame, ".uno:EnterString", "", 0, (named("StringName", text),))
        kinds.append(sheet.getCellByPosition(2, row).Type.value)
    book.close(True)
    desktop.terminate()
    return kinds


def main():
    program, pipe = sys.argv[1], f"flatledger-{os.getpid()}"
    with tempfile.TemporaryDirectory() as home:
        running = subprocess.Popen(
            [
                *(program, "--headless", "--norestore", f"-env:UserInstallation=file://{home}"),
                f"--accept=pipe,name={pipe};urp;",
            ],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        try:
            json.dump(kinds_of(json.load(sys.stdin), connected(pipe)), sys.stdout)
        finally:
            running.wait(timeout=60)


main()
