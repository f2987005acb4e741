"""The reader up to release 4.1: goes through the file character by character."""

from weftwright.draft import Draft
from weftwright.reading.statements import DraftBuilder


def read(path: str) -> Draft:
    builder = DraftBuilder()
    words: list[str] = []
    word = ""
    quoted = comment = False
    with open(path, encoding="utf-8") as file:
        text = file.read()
    for character in text:
        if comment:
            if character == "\n":
                comment = False
            continue
        if character == '"':
            quoted = not quoted
        elif quoted:
            word += character
        elif character == "#":
            comment = True
        elif character in " \t,":
            if word:
                words.append(word)
                word = ""
        elif character == "\n":
            if word:
                words.append(word)
                word = ""
            if words:
                builder.statement(words)
                words = []
        else:
            word += character
    if words:
        builder.statement(words)
    return builder.draft()
