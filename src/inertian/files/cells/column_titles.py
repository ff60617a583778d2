"""What a column's title says: its name, its unit, what kind of quantity it is and whose, in several
languages.
"""

import re
import unicodedata
from dataclasses import dataclass
from enum import StrEnum

from inertian.files.cells.title_units import unit_apart
from inertian.quantities.units import kind_of


class Role(StrEnum):
    """What a column is for."""

    TIME = "time"
    FRAME = "frame"
    POSITION = "position"
    VELOCITY = "velocity"
    ACCELERATION = "acceleration"
    FORCE = "force"
    BODY = "body"
    TRIAL = "trial"
    INDEX = "row number"
    UNCERTAINTY = "uncertainty"
    OTHER = "other"
    REMARK = "remark"
    UNKNOWN = "unknown"


_WORDS: dict[Role, str] = {
    Role.TIME: (
        "t time times zeit temps tiempo tempo tijd tid czas cas aika timp vreme vrijeme ido "
        "xronos χρονος время час 时间 時間 시간 zaman timestamp timestamps zeitstempel zeitpunkt "
        "horodatage datetime uhrzeit heure hora epoch elapsed clock utc moment instant laika "
        "laikas millis micros"
    ),
    Role.FRAME: (
        "tick ticks jiffies "
        "frame frames framenumber frameno frm bild bildnummer image images cuadro fotograma "
        "quadro klatka kadr beeld billede bildruta snimek"
    ),
    Role.POSITION: (
        "x y z position positions pos place location displacement distance dist coordinate coord "
        "coordinates ort weg strecke abstand lage koordinate posicion distancia posizione "
        "distanza spostamento posicao deslocamento polozenie pozycja droga odleglosc poloha draha "
        "polozaj asema paikka laege plats sted positie plaats afstand konum mesafe положение "
        "координата путь расстояние 位置 위치 "
        "θεση 位移 перемещение pozicio helyzet h height hohe hoehe hauteur altura altezza wysokosc "
        "vyska hoogte korkeus hojde hojd elevation r s d range abscisse ordonnee"
    ),
    Role.VELOCITY: (
        "v vx vy vz velocity velocities speed vel geschwindigkeit tempo_v vitesse velocidad "
        "velocita velocidade snelheid hastighed hastighet fart predkosc rychlost nopeus brzina "
        "hiz скорость 速度 속도"
    ),
    Role.ACCELERATION: (
        "a ax ay az acc accel acceleration accelerations beschleunigung acceleracion aceleracion "
        "accelerazione aceleracao versnelling acceleratie przyspieszenie zrychleni kiihtyvyys "
        "ubrzanje ivme ускорение 加速度"
    ),
    Role.FORCE: "f fx fy fz force forces kraft fuerza forza forca kracht sila voima kuvvet сила 力",
    Role.BODY: (
        "body bodies object obj objekt corps cuerpo corpo objeto korper koerper lichaam cialo "
        "teleso kappale label track tracker target marker_id who stone_id objectid bodyid name"
    ),
    Role.TRIAL: (
        "trial run versuch essai ensayo prova ensaio proef forsok forsog pokus proba lauf "
        "durchgang attempt experiment recording shot go session trialno runno messreihe "
        "messreihen series serie"
    ),
    Role.INDEX: (
        "no nr num number idx index row rownumber line sample samples sampleno zeile nummer "
        "numero numer n i id lp poradi count gate lichtschranke"
    ),
    Role.REMARK: (
        "remark remarks comment comments note notes bemerkung bemerkungen kommentar remarque "
        "remarques commentaire observacion observaciones nota notas opmerking uwaga uwagi "
        "poznamka status state quality flag flags operator valid ok"
    ),
    Role.OTHER: (
        "temperature temp temperatur voltage volt spannung tension current strom humidity "
        "pressure druck battery energy energie energia power leistung mass masse masa mas "
        "momentum impulse impuls impulso work arbeit angle winkel theta phi omega confidence "
        "score error err fehler sigma uncertainty unsicherheit residual likelihood probability "
        "area width size intensity brightness raw roh brut brutto rssi adc signal counts ek ep "
        "etot ekin epot ke pe p weight gewicht light_level lux checksum crc sd stdev std rms u_x "
        "u_y u_t ux uy ut dx dy dt delta dv absolute magnitude norm betrag resultant resultante "
        "abs"
    ),
}  # fmt: skip


def folded(word: str) -> str:
    """Return a word without case and accents, for comparing."""
    bare = unicodedata.normalize(
        "NFKD", word.casefold().replace("ł", "l").replace("ø", "o").replace("ß", "ss")
    )
    return "".join(c for c in bare if not unicodedata.combining(c))


_ROLE_OF = {folded(word): role for role, words in _WORDS.items() for word in words.split()}
_ROLE_OF["tempo"] = Role.TIME
_ROLE_OF["#"] = Role.INDEX
FILLERS = frozenset(
    "of the in der die das des dem den von vom de la le les du d l del di da do van het measured "
    "value values val centre center mid along for and at am im auf data reading readings sensor "
    "smoothed since start seit actual above over ground floor ice table linear".split()
)
_VERTICAL = frozenset(
    folded(w)
    for w in [
        "h",
        "height",
        "höhe",
        "hoehe",
        "hauteur",
        "altura",
        "altezza",
        "wysokość",
        "výška",
        "hoogte",
        "korkeus",
        "højde",
        "höjd",
        "elevation",
        "ordonnée",
        "vertical",
        "vertikal",
    ]
)
_DERIVED = frozenset(
    "calculated computed derived berechnet calculee calcule calculado calc smoothed geglattet fit "
    "fitted model predicted theory filtered".split()
)
_TOKENS = re.compile(r"[^\W\d_]+|\d+(?:[.,]\d+)?|#", re.UNICODE)


@dataclass(frozen=True)
class Title:
    """A title taken apart. `body` is "" if no body is named; `axis` is "" unless an axis is."""

    raw: str
    name: str
    unit: str
    role: Role
    body: str
    axis: str
    derived: bool = False
    time_word: bool = False


def _fits(name: str, kind: str) -> bool:
    words = [folded(w) for w in _TOKENS.findall(name)]
    roles = {_ROLE_OF.get(w) for w in words}
    return (kind == "time" and Role.TIME in roles) or (kind == "length" and Role.POSITION in roles)


def split_unit(raw: str) -> tuple[str, str]:
    """Return name and unit of a title: "heavy (cm)", "x [mm] mark 1", "t / s", "time in ms",
    "x_mm", "speed m/s"; either may be "".
    """
    return unit_apart(raw, _fits)


_KIND_ROLE = {
    "time": Role.TIME,
    "length": Role.POSITION,
    "speed": Role.VELOCITY,
    "acceleration": Role.ACCELERATION,
    "force": Role.FORCE,
}
_AXIS_ROLE = {"v": Role.VELOCITY, "a": Role.ACCELERATION, "f": Role.FORCE}


def read_title(raw: str, given_unit: str = "") -> Title:
    """Take a title apart. `given_unit` is a unit known from elsewhere: a row of units, the
    preamble, a schema.
    """
    name, unit = split_unit(raw)
    unit = unit or given_unit
    tokens = tokens_of(name)
    roles = [(_ROLE_OF.get(folded(t)), t) for t in tokens]
    derived = any(folded(t) in _DERIVED for t in tokens)
    if not name.strip() and kind_of(unit) is None:
        return Title(raw, "", unit, Role.UNKNOWN, "", "")
    role, used = _role_by_words(roles)
    if re.match(r"(u_?[xytva]$|[σδ±]|d[xyt]$)", folded(name)):
        return Title(raw, name, unit, Role.OTHER, name, "", derived)
    kind = kind_of(unit) if unit else None
    if kind == "mass" and unit == "g" and any(r is Role.ACCELERATION for r, _ in roles):
        role, unit = Role.ACCELERATION, "gₙ"
    else:
        role = _role_by_unit(role, unit, kind)
    others = [t for r, t in roles if r is Role.OTHER]
    beside_axis = any(t.casefold() in ("x", "y", "z") for t in tokens)
    if role is Role.OTHER and kind == "length" and beside_axis and all(len(t) == 1 for t in others):
        role, used = Role.POSITION, ""  # “p x (m)” is where p is
    time_word = any(r is Role.TIME for r, _ in roles)
    axis, body = _axis_and_body(tokens, role, used)
    if body == " ".join(tokens):
        body = name.strip()  # nothing came off, so it stays as it is written
    return Title(raw, name, unit, role, body, axis, derived, time_word)


def names_trial(body: str) -> bool:
    """Say whether what a title calls its body is a trial: run 1, run 2."""
    words = body.split()
    return len(words) == 2 and read_title(words[0]).role is Role.TRIAL


def _role_by_unit(role: Role, unit: str, kind: str | None) -> Role:
    """The role that words and unit speak for together; the unit has the last word, but for what is
    known as other.
    """
    said = _KIND_ROLE.get(kind or "")
    if said is None:
        other = (unit and kind is None and unit not in ("-", "1")) or kind in (
            "mass",
            "angle",
            "number",
        )
        return Role.OTHER if other else role
    if role is Role.FRAME or (role is Role.OTHER and said is not Role.FORCE):
        return role
    if said is Role.TIME and role not in (Role.UNKNOWN, Role.TIME, Role.POSITION, Role.INDEX):
        return role
    return said


_SUBSCRIPTS = str.maketrans({"₁": "1", "₂": "2", "₃": "3", "ₓ": "x", "ᵧ": "y"})


def _parts(name: str) -> list[str]:
    """Split a name at blanks and underscores; at dots, dashes and slashes only where a known word
    comes off.
    """
    parts: list[str] = []
    for word in re.findall(r"[^\s_,;:]+", name):
        pieces = [p for p in re.split(r"[./\-]", word) if p]
        known = any(folded(p) in _ROLE_OF or folded(p) in ("x", "y", "z") for p in pieces)
        parts += pieces if known and len(pieces) > 1 else [word.strip("./-") or word]
    return parts


def tokens_of(name: str) -> list[str]:
    """Return words and numbers of a name; xA, x1, vx2 and heavyX come apart."""
    found: list[str] = []
    for token in _parts(name.translate(_SUBSCRIPTS)):
        glued = re.fullmatch(
            r"([xyz]|[vaf][xyz]?|t|pos|time)_?(\d{1,2}|[A-Z])",
            token,
            re.IGNORECASE if token[-1:].isdigit() else 0,
        )
        camel = re.fullmatch(r"([a-z]{2,}\d*)([XYZ]|Pos|Position|Time)", token)
        flat = re.fullmatch(r"([vaf])([xyz])", token, re.IGNORECASE)
        if glued:
            found += [glued[1], glued[2]]
        elif camel:
            found += [camel[1], camel[2]]
        elif flat:
            found += [token]
        else:
            found.append(token)
    return found


_STRENGTH = (
    Role.REMARK, Role.OTHER, Role.FORCE, Role.ACCELERATION, Role.VELOCITY, Role.TIME, Role.FRAME,
    Role.POSITION,
    Role.TRIAL, Role.BODY, Role.INDEX,
)  # fmt: skip


def _role_by_words(roles: list[tuple[Role | None, str]]) -> tuple[Role, str]:
    """The strongest role among the words of a title; single letters only count where nothing else
    does.
    """
    words = [(r, t) for r, t in roles if r is not None]
    long = [(r, t) for r, t in words if len(t) > 1]
    if not words:
        return Role.UNKNOWN, ""
    if any(r is Role.FRAME for r, _ in long) and any(r is Role.INDEX for r, _ in words):
        return Role.FRAME, ""
    if (
        any(r is Role.TRIAL for r, _ in long)
        and len(roles) <= 2
        and not any(r in (Role.POSITION, Role.TIME) for r, _ in words)
    ):
        return Role.TRIAL, ""
    for pool in (long, words):
        real = [(r, t) for r, t in pool if r not in (Role.BODY, Role.TRIAL, Role.INDEX)]
        for r in _STRENGTH:
            hit = next((t for role, t in (real or pool) if role is r), None)
            if hit is not None:
                if r in (Role.BODY, Role.TRIAL, Role.INDEX) and len(roles) > 2:
                    continue
                if r is Role.BODY and len(roles) == 2 and any(t.isdigit() for _, t in roles):
                    return Role.UNKNOWN, ""  # "body 1" is a body's name
                if (
                    r in (Role.TIME, Role.VELOCITY, Role.ACCELERATION, Role.FORCE)
                    and len(hit) == 1
                    and len(roles) > 2
                ):
                    continue
                return r, hit
    return Role.UNKNOWN, ""


def _axis_and_body(tokens: list[str], role: Role, used: str) -> tuple[str, str]:
    """The axis a title names, and what is left of it: the body's name."""
    axis, rest = "", []
    own = (
        {Role.POSITION, Role.VELOCITY, Role.ACCELERATION, Role.FORCE, Role.TIME}
        if role is not Role.UNKNOWN
        else set()
    )
    for token in tokens:
        low = folded(token)
        said = _ROLE_OF.get(low)
        if low in ("x", "y", "z") and not axis and len(tokens) < 6:
            axis = low
        elif re.fullmatch(r"[vaf][xyz]", low) and _AXIS_ROLE[low[0]] is role:
            axis = axis or low[1]
        elif low in _VERTICAL and role is Role.POSITION:
            axis = axis or "y"
        elif (
            low in FILLERS
            or low in _DERIVED
            or (
                said in own
                and (said is role or role is Role.TIME or token == used)
                and (len(token) > 1 or said is role)
            )
            or (
                said is Role.BODY
                and role is not Role.BODY
                and not any(t.isdigit() or len(t) == 1 for t in tokens)
            )
        ):
            continue
        else:
            rest.append(token)
    return axis, " ".join(rest).strip(" ,;:()[]{}")
