"""A Tk program that shows a score which climbs for a moment and then stands."""

import tkinter

log = open("subject.log", "w", buffering=1, encoding="utf-8")  # noqa: SIM115
root = tkinter.Tk()
root.title("Score")
root.geometry("400x200+0+0")
shown = tkinter.Label(root, text="1980", font=("DejaVu Sans", 20), background="#f4f1ea")
shown.place(x=40, y=50, width=160, height=50)
scores = iter(["2010", "2031", "2040"])


def climb() -> None:
    text = next(scores, "")
    if text:
        shown.configure(text=text)
        root.after(300, climb)


def begin(_: object) -> None:
    log.write("counting\n")
    climb()


root.bind("<Key-space>", begin)
root.bind("<Key-q>", lambda _: root.destroy())
root.update()
root.focus_force()
root.update()
log.write("ready\n")
root.mainloop()
