"""Galena's command line, as `python -m galena`: see `galena.config.commands`."""

from galena.config.commands import main

if __name__ == "__main__":
    main()
