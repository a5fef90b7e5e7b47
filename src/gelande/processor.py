"""What the processor can do: its level of x86-64 (psABI 1.0)."""

from __future__ import annotations

from pathlib import Path

#: Levels and what processors have from there on, the highest first.
LEVELS = (
    ("x86-64-v4", ("avx512f", "avx512bw", "avx512cd", "avx512dq", "avx512vl")),
    ("x86-64-v3", ("avx2", "bmi1", "bmi2", "fma", "movbe")),
    ("x86-64-v2", ("ssse3", "sse4_1", "sse4_2", "popcnt", "cx16")),
)


def needs(name: str) -> tuple[str, ...]:
    """Flags that a processor of a level has: its own and those of the levels below."""
    first = next(k for k, (level, _) in enumerate(LEVELS) if level == name)
    return tuple(flag for _, flags in LEVELS[first:] for flag in flags)


def level(flags: set[str]) -> str:
    """The level of a processor with these flags."""
    return next((name for name, _ in LEVELS if flags.issuperset(needs(name))), "x86-64")


def facts(cpuinfo: str) -> dict[str, str]:
    """What /proc/cpuinfo says of the last processor, by name."""
    return {k.strip(): v.strip() for k, _, v in (line.partition(":") for line in cpuinfo.splitlines()) if v}


def cpuinfo() -> str:
    """What the system tells of its processors, "" where it does not."""
    try:
        return Path("/proc/cpuinfo").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return ""
