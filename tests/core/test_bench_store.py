"""The user's own bench files."""

from __future__ import annotations

import tomllib
from dataclasses import replace
from pathlib import Path

import pytest

from wideberth.core.bench import (
    KINDS,
    Bench,
    CuredPair,
    ExposureTest,
    bench_from,
    bench_toml,
    compare,
    duplicate,
    export_file,
    facts_of,
    fitted_counts,
    import_file,
    is_own,
    load_bench,
    load_named,
    names_of,
    rename,
    reset,
    save_own,
    shipped,
    slug,
    source_of_fit,
    told_apart,
    user_folder,
    with_entry,
)
from wideberth.core.errors import BadBench, CannotWrite


@pytest.fixture(autouse=True)
def own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A data folder of this test alone."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    assert str(user_folder()).startswith(str(tmp_path))
    return user_folder()


def test_an_own_file_takes_the_place_of_the_shipped_one_until_reset() -> None:
    mine = replace(load_named("resin", "standard"), viscosity_pa_s=0.33)
    save_own("resin", "standard", mine)
    bench = load_bench()
    assert bench.resin.viscosity_pa_s == 0.33
    assert dict(bench.sources)["resin"] == "your file standard.toml"
    assert [d.facts.key for d in compare("resin", bench.resin, shipped("resin", "standard"))] == ["viscosity_pa_s"]
    reset("resin", "standard")
    assert load_bench().resin.viscosity_pa_s == 0.2
    assert not is_own("resin", "standard")


def test_duplicate_and_rename_keep_every_value() -> None:
    name = duplicate("printer", "standard", "Quayside, upstairs")
    assert name == "quayside-upstairs"
    assert compare("printer", load_named("printer", name), load_named("printer", "standard")) == []
    again = rename("printer", name, "Attic")
    assert again == "attic" and name not in names_of("printer")
    assert load_named("printer", "attic").name == "Attic"
    with pytest.raises(BadBench, match="already"):
        duplicate("printer", "standard", "Attic")
    with pytest.raises(BadBench, match="ships with"):
        rename("printer", "standard", "Mine")


def test_a_name_of_no_letters_is_refused() -> None:
    with pytest.raises(BadBench, match="file name"):
        slug(" ../// ")
    assert "/" not in slug("../../etc/passwd") and "." not in slug("a.b")


def test_export_and_import_on_another_machine(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    mine = replace(load_named("resin", "standard"), name='Grey "old" \\ Grün', viscosity_pa_s=0.5)
    save_own("resin", slug(mine.name), mine)
    out = tmp_path / "given.toml"
    export_file("resin", slug(mine.name), out)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "other machine"))
    assert import_file(out) == ("resin", slug(mine.name))
    assert load_named("resin", slug(mine.name)) == mine


def test_importing_never_replaces_what_is_there(tmp_path: Path) -> None:
    out = tmp_path / "printer.toml"
    save_own("printer", "mine", replace(load_named("printer", "standard"), name="Mine"))
    export_file("printer", "mine", out)
    assert import_file(out) == ("printer", "mine")
    save_own("printer", "mine", replace(load_named("printer", "mine"), overhead_s=9.0))
    _, name = import_file(out)
    assert name != "mine"
    assert load_named("printer", "mine").overhead_s == 9.0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('kind = "resin"\nname = "x"\nviscosity_pa_s = -1.0\n', "line 3"),
        ('kind = "boat"\nname = "x"\n', "kind"),
        ('name = "x"\n', "kind"),
        ('schema = 99\nkind = "film"\n', "later version"),
        ('kind = "film"\nname = "x"\nfollow = 0.5\n', "follow_share"),
        ("kind = \n", "TOML"),
        ('schema = "x"\nkind = "film"\n', "no version"),
    ],
)
def test_a_bad_file_names_the_key_and_the_line(tmp_path: Path, text: str, says: str) -> None:
    file = tmp_path / "bad.toml"
    file.write_text(text)
    with pytest.raises(BadBench) as error:
        import_file(file)
    assert says in error.value.text


def test_a_folder_that_cannot_be_written_keeps_what_is_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where a folder should be")
    monkeypatch.setenv("XDG_DATA_HOME", str(blocked))
    with pytest.raises(CannotWrite):
        save_own("film", "mine", load_named("film", "standard"))
    assert blocked.read_text() == "a file where a folder should be"


def test_a_mix_serves_as_the_resin_of_a_bench() -> None:
    bench = bench_from({"resin": {"use": "grey-with-tough"}}, "", "test")
    assert 0.2 < bench.resin.viscosity_pa_s < 0.42
    assert dict(bench.sources)["resin"] == "computed from the mix grey-with-tough"


def test_an_exposure_test_comes_back_as_it_was_kept() -> None:
    test = ExposureTest(
        "Grey, May", "standard", "standard", 4.0, 25.0, (CuredPair(2.0, 0.08), CuredPair(4.0, 0.16, False)), smallest_slot_mm=0.2
    )
    save_own("exposure", slug(test.name), test)
    assert load_named("exposure", "grey-may") == test


def test_every_key_says_its_unit_and_range_as_the_schema_checks_it() -> None:
    for kind in KINDS:
        part_names = names_of(kind)
        for facts in facts_of(kind):
            assert facts.description or facts.key == "name", (kind, facts.key)
            if part_names and kind != "exposure" and facts.kind in ("number", "count") and facts.high is not None:
                part = load_named(kind, "standard")
                whole = with_entry(part, kind, facts.key, type(facts.high)(facts.high))
                assert getattr(whole, facts.key) == facts.high
                with pytest.raises(BadBench):
                    with_entry(part, kind, facts.key, facts.high * 2 + 1)


def test_a_job_keeps_what_prints_taught_and_a_bench_file_does_not(bench: Bench, tmp_path: Path) -> None:
    taught = bench.with_value("film.line_adhesion_n_per_mm", 0.017, source_of_fit(1_240))
    taught = taught.with_value("laws.rate_power", bench.laws.rate_power, source_of_fit(1))  # as it was: still told by a print
    text = bench_toml(taught)
    again = told_apart(bench_from(tomllib.loads(text), text, "job"), "saved in job")
    assert fitted_counts(again) == {"film.line_adhesion_n_per_mm": 1_240, "laws.rate_power": 1} == fitted_counts(taught)
    assert dict(again.sources)["film.line_adhesion_n_per_mm"] == "fitted from 1,240 prints"
    file = tmp_path / "theirs.toml"
    file.write_text(text)
    assert load_bench(file).film.line_adhesion_n_per_mm == 0.017 and fitted_counts(load_bench(file)) == {}
    for bad in (
        "fitted = 3",
        '[fitted]\n"film.nothing" = 3',
        '[fitted]\n"laws.rate_power" = -1',
        '[fitted]\n"laws.rate_power" = true',
    ):
        with pytest.raises(BadBench):
            bench_from(tomllib.loads(bad), bad, "job")
