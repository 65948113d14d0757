"""`python -m juxtatune` is the command `juxtatune`."""

from juxtatune.cli.main import run

if __name__ == "__main__":
    run()
