"""Country names to ISO 3166-1 alpha-2 codes, for value tables."""

from __future__ import annotations

# English, own and Norwegian or German names of European countries and a few others that shops often meet.
_NAMES = {
    "AT": "austria österreich osterreich østerrike",
    "BE": "belgium belgië belgique belgien belgia",
    "CH": "switzerland schweiz suisse sveits",
    "CZ": "czechia|czech republic|tschechien|tsjekkia",
    "DE": "germany|deutschland|tyskland|ger|deu",
    "DK": "denmark danmark dänemark dnk",
    "EE": "estonia estland eesti",
    "ES": "spain españa espana spanien spania esp",
    "FI": "finland suomi finnland fin",
    "FR": "france frankreich frankrike fra",
    "GB": "united kingdom|uk|u k|great britain|england|scotland|wales|storbritannia|großbritannien|gbr",
    "IE": "ireland éire irland irl",
    "IS": "iceland ísland island",
    "IT": "italy italia italien ita",
    "NL": "netherlands|the netherlands|holland|nederland|niederlande|nld",
    "NO": "norway norge norwegen noreg nor",
    "PL": "poland polska polen",
    "PT": "portugal",
    "SE": "sweden sverige schweden swe",
    "US": "united states|usa|u s a|united states of america|america",
}

COUNTRY_CODES: dict[str, str] = {
    name: code for code, names in _NAMES.items() for name in (names.split("|") if "|" in names else names.split())
} | {code.lower(): code for code in _NAMES}
