"""WAV files of sixteen bits, as the Bench plays them and the demo's music comes."""

import io
import wave

import numpy as np
import numpy.typing as npt


def wav_of(samples: npt.NDArray[np.float32], rate: int) -> bytes:
    """The file of samples, shape (channels, samples), so many a second; what is louder than full is cut off."""
    buffer = io.BytesIO()
    with wave.open(buffer, "wb") as file:
        file.setnchannels(len(samples))
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes((np.clip(samples, -1, 1) * 32_767).astype("<i2").T.tobytes())
    return buffer.getvalue()
