"""A program with a known schedule, on Tk: the twin of truth_sdl.py."""

import os
import tkinter

from truth import Truth, play_frames, run_load, run_save

root = tkinter.Tk()
root.title("Truth")
canvas = tkinter.Canvas(root, width=640, height=480, highlightthickness=0)
canvas.pack()
patch = canvas.create_rectangle(0, 0, 640, 480, fill="#205080", outline="")
truth = Truth()
shade = 0


def present() -> None:
    global shade
    shade = (shade + 37) % 256
    canvas.itemconfigure(patch, fill=f"#{shade:02x}5a80")
    root.update_idletasks()
    root.winfo_pointerx()  # asks the server: it has drawn what was asked before
    truth.note("frame")


def quit_now(_: object) -> None:
    truth.note("exit")
    os._exit(0)


root.update()
present()
root.bind("f", lambda _: play_frames(truth, present))
root.bind("l", lambda _: run_load(truth, present))
root.bind("s", lambda _: run_save(truth))
root.bind("q", quit_now)
root.focus_force()
truth.log("ready")
root.mainloop()
