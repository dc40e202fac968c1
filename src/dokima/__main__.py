"""``python -m dokima`` and the ``dokima`` command: the command line with the demo on top."""

from dokima.cli.main import app
from dokima.cli.main import run as run_app
from dokima.demo.walk import demo

app.command()(demo)


def run() -> None:
    """Run the command line."""
    run_app()


if __name__ == "__main__":
    run()
