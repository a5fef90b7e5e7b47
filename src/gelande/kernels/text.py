"""Numbers as text, many at once."""

from __future__ import annotations

import numpy as np

from .bands import kernel


@kernel
def _digits(out, n, value):
    """Writes a whole number of 0 or more. Returns the place after it."""
    first = n
    while True:
        out[n] = 48 + value % 10
        value //= 10
        n += 1
        if value == 0:
            break
    a, b = first, n - 1
    while a < b:
        out[a], out[b] = out[b], out[a]
        a += 1
        b -= 1
    return n


@kernel
def _decimal_lines(values, head, decimals, out):
    """Writes rows of numbers as decimal text, as fast as the disk. Returns how many bytes."""
    n = 0
    scale = 10**decimals
    for r in range(values.shape[0]):
        for k in range(head.shape[0]):
            out[n] = head[k]
            n += 1
        for c in range(values.shape[1]):
            out[n] = 32
            n += 1
            whole = np.int64(round(abs(values[r, c]) * scale))
            if values[r, c] < 0 and whole > 0:
                out[n] = 45
                n += 1
            n = _digits(out, n, whole // scale)
            out[n] = 46
            n += 1
            left = whole % scale
            for k in range(decimals):
                out[n + decimals - 1 - k] = 48 + left % 10
                left //= 10
            n += decimals
        out[n] = 10
        n += 1
    return n


@kernel
def _face_lines(faces, textured, out):
    """Writes triangles as lines of an OBJ file. Returns how many bytes."""
    n = 0
    for r in range(faces.shape[0]):
        out[n] = 102
        n += 1
        for c in range(faces.shape[1]):
            out[n] = 32
            n = _digits(out, n + 1, faces[r, c] + 1)
            if textured:
                out[n] = 47
                n = _digits(out, n + 1, faces[r, c] + 1)
        out[n] = 10
        n += 1
    return n


def decimal_lines(values: np.ndarray, head: str, decimals: int) -> bytes:
    """Lines of numbers with a fixed number of decimals.

    Parameters
    ----------
    values :
        (lines, numbers a line) float64.
    head :
        what each line begins with, ASCII.
    decimals :
        digits after the point, 1 to 9.

    Returns
    -------
    ASCII text.
    """
    room = len(values) * (len(head) + 1 + values.shape[1] * (22 + decimals))
    out = np.empty(max(room, 1), np.uint8)
    first = np.frombuffer(head.encode("ascii"), np.uint8)
    return out[: _decimal_lines(np.ascontiguousarray(values, np.float64), first, decimals, out)].tobytes()


def face_lines(faces: np.ndarray, textured: bool) -> bytes:
    """Faces as OBJ files have them: numbers of corners from 1, each with that of its texture coordinate if there is
    one.

    Parameters
    ----------
    faces :
        (faces, corners) int64, numbers from 0.
    textured :
        whether texture coordinates have the same numbers.

    Returns
    -------
    ASCII text.
    """
    out = np.empty(max(1, len(faces) * (2 + faces.shape[1] * 42)), np.uint8)
    return out[: _face_lines(np.ascontiguousarray(faces, np.int64), textured, out)].tobytes()


@kernel
def _numbers(data, out):
    """Reads decimal numbers from text. Returns how many."""
    count, n = 0, len(data)
    k = 0
    while k < n:
        c = data[k]
        if not (48 <= c <= 57):
            k += 1
            continue
        negative = k > 0 and data[k - 1] == 45
        value = 0.0
        while k < n and 48 <= data[k] <= 57:
            value = value * 10.0 + (data[k] - 48)
            k += 1
        if k < n and data[k] == 46:
            k += 1
            digits, part = 0, 0.0
            while k < n and 48 <= data[k] <= 57:
                part = part * 10.0 + (data[k] - 48)
                digits += 1
                k += 1
            value += part / 10.0**digits
        out[count] = -value if negative else value
        count += 1
    return count


def numbers_in(data: bytes) -> np.ndarray:
    """All numbers of a text without exponents, whatever stands between them.

    Parameters
    ----------
    data :
        ASCII text.

    Returns
    -------
    (numbers) float64, in order.
    """
    out = np.empty(len(data) // 2 + 1)
    return out[: _numbers(np.frombuffer(data, np.uint8), out)].copy()
