"""A program that draws by itself for as long as it runs, as a player or a game does."""

import tkinter

EVERY_MS = 40

root = tkinter.Tk()
root.title("Plays")
canvas = tkinter.Canvas(root, width=320, height=200, highlightthickness=0)
canvas.pack()
patch = canvas.create_rectangle(0, 0, 320, 200, outline="")


def play(shown: int) -> None:
    canvas.itemconfigure(patch, fill=f"#{shown * 37 % 256:02x}5a80")
    root.after(EVERY_MS, play, shown + 1)


play(0)
root.mainloop()
