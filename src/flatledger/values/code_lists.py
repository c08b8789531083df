"""Code lists of the standards, with what their codes are called in a language.

The names are those of Unicode's CLDR; those of groups of languages, which it lacks, are English.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

LANGUAGES, COUNTRIES = "iso-639", "iso-3166"
CODE_LISTS = (LANGUAGES, COUNTRIES)
_GROUPS = """
afa Afro-Asiatic, alg Algonquian, apa Apache, art Artificial, ath Athapascan, aus Australian,
bad Banda, bai Bamileke, bat Baltic, ber Berber, bih Bihari, bnt Bantu, btk Batak, cai Central
American Indian, cau Caucasian, cel Celtic, cmc Chamic, cus Cushitic, day Land Dayak, dra
Dravidian, fiu Finno-Ugrian, gem Germanic, him Himachali, ijo Ijo, inc Indic, ine Indo-European,
ira Iranian, iro Iroquoian, kar Karen, khi Khoisan, kro Kru, map Austronesian, mkh Mon-Khmer,
mno Manobo, mun Munda, myn Mayan, nah Nahuatl, nai North American Indian, nic Niger-Kordofanian,
nub Nubian, oto Otomian, paa Papuan, phi Philippine, pra Prakrit, roa Romance, sai South
American Indian, sal Salishan, sem Semitic, sgn Sign, sio Siouan, sit Sino-Tibetan, sla Slavic,
smi Sami, son Songhai, ssa Nilo-Saharan, tai Tai, tup Tupi, tut Altaic, wak Wakashan, wen
Sorbian, ypk Yupik, znd Zande
"""  # ISO 639-2
_OTHERS = {
    "tgl": "Tagalog",
    "tl": "Tagalog",
    "twi": "Twi",  # of which CLDR has other names
    "mis": "Other languages",
    "crp": "Creoles and pidgins",
    "cpe": "Creoles and pidgins, English-based",
    "cpf": "Creoles and pidgins, French-based",
    "cpp": "Creoles and pidgins, Portuguese-based",
}
_NO_COUNTRIES = {"XA", "XB", "ZZ"}


@cache
def code_list(name: str, locale: str = "en") -> dict[str, str]:
    """The codes of a list with their names: of languages in two letters and in three, of countries
    in two letters, three letters and three digits.

    >>> code_list("iso-639")["wel"], code_list("iso-639", "de")["wel"], code_list("iso-639")["cel"]
    ('Welsh', 'Walisisch', 'Celtic languages')
    >>> code_list("iso-3166")["GB"], code_list("iso-3166")["578"]
    ('United Kingdom', 'Norway')
    """
    found = _LISTS[name](locale)
    return found if locale == "en" else code_list(name) | found


def _languages(locale: str) -> dict[str, str]:
    from babel import Locale
    from babel.core import get_global

    known = Locale.parse(locale).languages
    aliases = get_global("language_aliases").items()
    found = {
        code: str(known[meant]) for code, meant in aliases if len(code) == 3 and meant in known
    }
    found |= {code: str(text) for code, text in known.items() if len(code) <= 3}
    groups = (" ".join(entry.split()).partition(" ") for entry in _GROUPS.split(","))
    return found | _OTHERS | {code: f"{group} languages" for code, _, group in groups}


def _countries(locale: str) -> dict[str, str]:
    from babel import Locale
    from babel.core import get_global

    known, found = Locale.parse(locale).territories, dict[str, str]()
    for code, meant in get_global("territory_aliases").items():
        if len(code) == 3 and len(meant) == 1 and meant[0] in known.keys() - _NO_COUNTRIES:
            found[code] = found[meant[0]] = str(known[meant[0]])
    return found


_LISTS: dict[str, Callable[[str], dict[str, str]]] = {
    LANGUAGES: _languages,
    COUNTRIES: _countries,
}
