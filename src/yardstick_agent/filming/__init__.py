"""Films of the display: drawn pictures as they came, on the run's clock."""

#: In the folder of a run: the film, and when it began.
FILM, ABOUT = "film.mp4", "film.json"
