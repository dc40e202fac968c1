"""``python -m dokima`` and the ``dokima`` command: the command line with the demo on top."""

import sys


def run() -> None:
    """Run the command line."""
    if sys.argv[1:] == ["--version"]:  # nothing else is needed to answer that
        from dokima import __version__

        sys.stdout.write(f"dokima {__version__}\n")
        return
    from dokima.pricing.running.threads import settle_process

    settle_process()
    run_app()


def run_app(arguments: list[str] | None = None) -> None:
    """Run the command line with these arguments, those of the process if None."""
    from dokima.cli.commands import GROUPS, Listed
    from dokima.cli.main import run as run_commands

    GROUPS["Begin"]["demo"] = Listed("dokima.demo.walk:demo", "Copy the demo to a folder and walk through it.")
    run_commands(arguments)


if __name__ == "__main__":
    run()
