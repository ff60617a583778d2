"""Spans as they are first marked: what the finder found, put together for all bodies of a trial."""

from collections.abc import Sequence

from inertian.motion.recording.trials import Trial
from inertian.motion.spans.finder import find_spans
from inertian.motion.spans.span_naming import FoundSpan
from inertian.motion.spans.spans import Span, SpanKind, Spans

BEFORE, CONTACT, AFTER = "before", "contact", "after"
SHARED_SHARE = 0.5  # share of each body's span that must be common for one span of all of them


def suggest_spans(trial: Trial) -> Spans:
    """Return the spans the finder suggests, those of one name shared by the bodies where they
    agree; none, if none.
    """
    return shared_spans(find_spans(trial), tuple(body.name for body in trial.followed))


def shared_spans(found: Sequence[FoundSpan], bodies: tuple[str, ...]) -> Spans:
    """Return found spans with names of their own: one for all bodies where their times agree, else
    one for each.
    """
    groups: dict[str, list[FoundSpan]] = {}
    for one in found:
        groups.setdefault(one.name, []).append(one)
    spans: list[Span] = []
    for name, group in groups.items():
        for together in _agreeing(group):
            own = tuple(b for b in bodies if any(b in f.bodies for f in together))
            kinds = {f.kind for f in together}
            kind = kinds.pop() if len(kinds) == 1 else SpanKind.FREE
            start, stop = max(f.t0 for f in together), min(f.t1 for f in together)
            every = kind in (SpanKind.CONTACT, SpanKind.INTERACTION) or set(own) == set(bodies)
            title = name if every or len(_agreeing(group)) == 1 else f"{name} ({', '.join(own)})"
            why = "; ".join(dict.fromkeys(f.why for f in together))
            spans.append(
                Span(Spans(spans).free_name(title), kind, start, stop, () if every else own, why)
            )
    return Spans(spans).in_order()


def _agreeing(group: Sequence[FoundSpan]) -> list[list[FoundSpan]]:
    """Spans of one name, put together where what they have in common is most of each."""
    start, stop = max(f.t0 for f in group), min(f.t1 for f in group)
    if all(stop - start >= SHARED_SHARE * (f.t1 - f.t0) for f in group):
        return [list(group)]
    return [[f] for f in group]
