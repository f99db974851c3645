"""`galena check-board PORT`: speaks to a board and says what is right and what is wrong."""

from argparse import ArgumentParser, Namespace

from galena.config.commands.command import Command


def _arguments(parser: ArgumentParser) -> None:
    parser.add_argument("port", help="/dev/ttyACM0, COM3, or tcp://192.168.1.20:9000")
    parser.add_argument(
        "--speed", type=int, default=None, help="in baud; 115200 where none is named"
    )
    parser.add_argument("--seconds", type=float, default=3.0, help="for how long it is listened to")


def _run(options: Namespace) -> int:
    from galena.instruments.board_check import check_board

    verdicts = check_board(options.port, options.speed, options.seconds, say=_print)
    wrong = sum(not verdict.is_right for verdict in verdicts)
    print("All is right." if not wrong else f"{wrong} to be mended.", flush=True)
    return 1 if wrong else 0


def _print(verdict) -> None:
    print(f"{'right' if verdict.is_right else 'WRONG'}  {verdict.words}", flush=True)


CHECK_BOARD = Command(
    "check-board", "say what is right and wrong with a board of your own", _arguments, _run
)
