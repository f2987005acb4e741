"""Films with known truth, made picture by picture."""

from fractions import Fraction

import av
import numpy as np

SIZE = (320, 192)
RNG = np.random.default_rng(11)
CLOTH = RNG.integers(0, 255, (SIZE[1] // 8, SIZE[0] // 8), np.uint8).repeat(8, 0).repeat(8, 1)


def film(path, shown, hertz, seconds, *, sound=None, crf=23):
    """A film of so many pictures a second; `shown` draws what a program shows at an instant, s."""
    rate = Fraction(hertz).limit_denominator(1001)
    with av.open(str(path), "w", format="mp4") as made:
        stream = made.add_stream(
            "libx264", rate=rate, options={"preset": "veryfast", "crf": str(crf)}
        )
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        heard = made.add_stream("aac", rate=48_000) if sound is not None else None
        for number in range(round(seconds * hertz)):
            picture = shown(number / hertz)
            frame = av.VideoFrame.from_ndarray(np.stack([picture] * 3, axis=2), format="rgb24")
            frame.pts, frame.time_base = number, 1 / rate
            made.mux(stream.encode(frame))
        made.mux(stream.encode(None))
        if heard is not None:
            for first in range(0, len(sound), 1024):
                part = sound[first : first + 1024].astype(np.float32)[None, :]
                piece = av.AudioFrame.from_ndarray(part, format="fltp", layout="mono")
                piece.sample_rate, piece.pts, piece.time_base = 48_000, first, Fraction(1, 48_000)
                made.mux(heard.encode(piece))
            made.mux(heard.encode(None))
    return path


def clicks(at, seconds, rate, noise=0.001):
    rng = np.random.default_rng(1)
    samples = rng.normal(0, noise, int(seconds * rate))
    for one in at:
        first = int(one * rate)
        length = int(0.05 * rate)
        samples[first : first + length] += 0.4 * np.sin(np.arange(length) * 0.4)
    return samples.astype(np.float32)
