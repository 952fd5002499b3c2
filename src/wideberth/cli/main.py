"""`wide-berth`: the window, and the core without one."""

from __future__ import annotations

import os
import sys

import typer
from rich.console import Console

from wideberth.cli.advise import advise_command
from wideberth.cli.bare_json import is_bare, told
from wideberth.cli.bench import bench_command
from wideberth.cli.chart import chart
from wideberth.cli.check import check
from wideberth.cli.health import health
from wideberth.cli.log import log_command
from wideberth.cli.orient import orient
from wideberth.cli.plan import plan
from wideberth.cli.plate import plate
from wideberth.cli.print import print_
from wideberth.cli.propose import propose
from wideberth.cli.quote import quote
from wideberth.cli.shelf import shelf_command
from wideberth.cli.split import split
from wideberth.cli.window import window
from wideberth.cli.write import write
from wideberth.core import unexpected
from wideberth.core.errors import Cancelled, WideBerthError

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Print preparation for masked-light resin printers.",
                  pretty_exceptions_enable=False)  # fmt: skip
app.command("check")(check)
app.command("orient")(orient)
app.command("propose")(propose)
app.command("plate")(plate)
app.command("split")(split)
app.command("advise")(advise_command)
app.command("chart")(chart)
app.command("quote")(quote)
app.command("plan")(plan)
app.command("write")(write)
app.command("shelf")(shelf_command)
app.command("print")(print_)
app.command("log")(log_command)
app.command("health")(health)
app.command("window")(window)
app.command("bench")(bench_command)

BAD_INPUT = 2


def main() -> None:
    """Run the command line; bad input ends with status 2 and one clear message, never a traceback."""
    words = sys.argv[1:]
    try:
        if is_bare(words):
            told(words, app)
        else:
            app(words)
    except WideBerthError as error:
        Console(stderr=True).print(f"wide-berth: {error.text}", style="bold", markup=False, highlight=False, soft_wrap=True)
        sys.exit(BAD_INPUT)
    except Cancelled:
        sys.exit(130)
    except Exception as error:
        if os.environ.get("WIDE_BERTH_DEBUG"):
            raise
        print(f"wide-berth: {unexpected.told(error)}", file=sys.stderr)
        sys.exit(BAD_INPUT)


if __name__ == "__main__":
    main()
