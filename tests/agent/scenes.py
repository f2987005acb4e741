"""Made-up scenes for end conditions: windows, logs and files as they stand at an instant."""

from types import SimpleNamespace

from yardstick_agent.display.windows import Window
from yardstick_agent.files import Log, LogLine
from yardstick_agent.playing.scene import Scene, Since

MS = 1_000_000
QUIET = 400 * MS


def window(title="Weftwright", shown=100, changed=0, gone=0, size=(600, 400), popup=False):
    return Window(1, title, *size, popup, shown * MS, gone * MS, changed * MS)


def scene(windows=(), last_change=0, lines=(), files=None, exited=None):
    watcher = SimpleNamespace(
        titled=lambda text: [w for w in windows if text in w.title],
        once_titled=lambda text: [
            w for w in windows if text in w.title or any(text in old for _, old in w.renamed)
        ],
        last_change_ns=last_change * MS,
        error_ns=MS,
        first_frame_after=lambda instant_ns: instant_ns,
    )
    log = Log()
    for at, text in lines:
        log.add(LogLine(at * MS, 2 * MS, text))
    folder = SimpleNamespace(logs={"app.log": log}, files=files or {})
    subject = SimpleNamespace(log="app.log", exited_ns=(exited or 0) * MS, processes=list)
    return Scene(watcher, folder, subject)


def since(step=0, inputs=None):
    return Since(step * MS, (step if inputs is None else inputs) * MS)


def at_ms(found):
    return None if found is None else found.at_ns / MS
