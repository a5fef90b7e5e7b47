"""Finding a node by what one calls it: names, trade synonyms, settings and choices, both spellings, small typing
errors. No Qt."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from gelande.core.recipe.node import NodeSpec, categories, registry

#: How well a word fits, best first.
BEGINS, IN_NAME, SYNONYM, IN_SYNONYM, SETTING, SENTENCE, TYPO = 0, 1, 2, 3, 4, 6, 9
#: Spellings that count as the same.
SPELLINGS = (("ise", "ize"), ("isi", "izi"), ("yse", "yze"), ("our", "or"), ("grey", "gray"), ("centre", "center"))


def plain(text: str) -> str:
    """Text in small letters and one spelling."""
    text = text.casefold().replace("-", " ")
    for ours, theirs in SPELLINGS:
        text = text.replace(ours, theirs)
    return text


@lru_cache(1024)
def _words(spec: NodeSpec) -> tuple[str, tuple[str, ...], str, str]:
    """(name, synonyms, settings and choices, category and sentence), in one spelling."""
    settings = " ".join(" ".join((p.label, p.range_text if p.choices else "")) for p in spec.params)
    more = " ".join((*(label for label, _ in spec.starting_points), *(p.label for p in spec.outputs)))
    return (
        plain(spec.name),
        tuple(plain(k) for k in spec.keywords),
        plain(f"{settings} {more}"),
        plain(f"{spec.category} {spec.summary}"),
    )


def typos(a: str, b: str) -> int:
    """Letters to add, leave out, change or swap with the next to get from a to b (Damerau 1964)."""
    before: list[int] = []
    row = list(range(len(b) + 1))
    for i, x in enumerate(a, 1):
        older, before, row = before, row, [i]
        for j, y in enumerate(b, 1):
            cost = min(before[j] + 1, row[j - 1] + 1, before[j - 1] + (x != y))
            # two neighbours swapped are one mistake
            if i > 1 and j > 1 and x == b[j - 2] and a[i - 2] == y:
                cost = min(cost, older[j - 2] + 1)
            row.append(cost)
    return row[-1]


def _rank(spec: NodeSpec, word: str) -> float | None:
    """Rank of a node for one word, or None."""
    name, synonyms, settings, rest = _words(spec)
    # the better the place in which a word is found, the lower the rank
    if name.startswith(word) or f" {word}" in name:
        return BEGINS if name.startswith(word) else 0.5
    if word in name:
        return IN_NAME
    if any(k.startswith(word) for k in synonyms):
        return SYNONYM - (0.5 if word in synonyms else 0.0)
    if any(word in k for k in synonyms):
        return IN_SYNONYM
    if f" {word}" in f" {settings}":
        return SETTING
    return SENTENCE if f" {word}" in f" {rest}" else None


def _strays(spec: NodeSpec, word: str) -> int:
    """The fewest typing errors between a word and one of a node's names and synonyms, or between as much of them."""
    name, synonyms, settings, _ = _words(spec)
    known = {w for text in (name, *synonyms, settings) for w in text.split() if len(w) > 2}
    return min((min(typos(word, w), typos(word, w[: len(word)])) for w in known), default=99)


def matches(query: str, fits: Callable[[NodeSpec], bool] = lambda spec: True) -> list[NodeSpec]:
    """Nodes that fit every word of a query, best first; those with small typing errors only when no other fits."""
    words = plain(query).split()
    known = [s for s in registry().values() if fits(s)]
    if not words:
        # nothing typed: the catalogue, by category
        return sorted(known, key=lambda s: (categories().index(s.category), s.name))
    found = []
    for spec in known:
        ranks = [_rank(spec, w) for w in words]
        if None not in ranks:
            found.append((sum(r for r in ranks if r is not None), categories().index(spec.category), spec.name, spec))
    if not found:
        # typing errors only when no other node fits: one in a word, two in a long one
        for spec in known:
            allowed = [(0 if _rank(spec, w) is not None else _strays(spec, w), 1 + (len(w) > 6)) for w in words]
            if all(n <= most for n, most in allowed) and all(len(w) > 3 for w in words):
                found.append((sum(n for n, _ in allowed), categories().index(spec.category), spec.name, spec))
    return [f[3] for f in sorted(found, key=lambda f: f[:3])]


def nearest(query: str, fits: Callable[[NodeSpec], bool] = lambda spec: True, count: int = 5) -> list[NodeSpec]:
    """Nodes that come nearest to a query that nothing fits: by any of its words, then by spelling."""
    words = plain(query).split() or [""]
    ranked = []
    for spec in registry().values():
        if fits(spec):
            known = [_rank(spec, w) for w in words]
            hit = min((r for r in known if r is not None), default=None)
            strays = min(_strays(spec, w) / max(len(w), 1) for w in words)
            ranked.append((hit if hit is not None else 20 + strays, spec.name, spec))
    return [s for _, _, s in sorted(ranked, key=lambda r: r[:2])[:count]]
