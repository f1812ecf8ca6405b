"""How many sheets are taken for the kind of record that they are, by their columns alone, without any name."""

from __future__ import annotations

from bench.suggestions.measure import header_sets
from bench.suggestions.sites import KINDS, record_type
from datorum.core.profile import profile
from datorum.core.suggest.recognise import LIKELY, Kind, recognised


def main() -> None:
    kinds = {site: [Kind(record_type(site, name)) for name in names] for site, names in KINDS.items()}
    sets = header_sets()
    faults, doubtful = [], 0
    for one in sets:
        guesses = recognised(kinds[one.site], one.frame, profile(one.frame))
        doubtful += guesses[0].score < LIKELY
        if guesses[0].record_type != one.kind.name:
            faults.append(f"  {one.title}: taken for {guesses[0].record_type} ({guesses[0].score})")
    share = 1 - len(faults) / len(sets)
    print(f"recognised, {len(sets)} sheets: {share:.1%} as what they are, {doubtful} of them in doubt")
    print("\n".join(faults))


if __name__ == "__main__":
    main()
