"""A Tk program that logs what it is told by keys and pointer, and that it is asked to close."""

import tkinter

log = open("subject.log", "w", buffering=1, encoding="utf-8")  # noqa: SIM115
root = tkinter.Tk()
root.title("Typed")
root.geometry("400x200")
entry = tkinter.Entry(root)
entry.place(x=0, y=150, width=400)
wheel = 0


def note(text: str) -> None:
    log.write(text + "\n")


def scrolled(_: object) -> None:
    global wheel
    wheel += 1
    note(f"wheel {wheel}")


def close() -> None:
    note("asked to close")
    root.destroy()


entry.bind("<Return>", lambda _: note(f"typed: {entry.get()}"))
root.bind("<Button-3>", lambda event: note(f"button 3 at {event.x},{event.y}"))
root.bind("<Button-5>", scrolled)
root.bind("<ButtonRelease-1>", lambda event: note(f"released {event.x},{event.y}"))
root.protocol("WM_DELETE_WINDOW", close)
root.update()
entry.focus_force()
root.update()
note("ready")
root.mainloop()
