"""Run one command, answer on standard output, and end with a code that a script can rely on."""

import sys

from commandline.answers import exit_code_of, explain
from commandline.arguments import parser
from core.errors import AtticError


def main(argv: list[str]) -> int:
    """The exit code: 0 done, 1 damage or skipped items, 2 usage, 3 wrong passphrase, 4 no store, 5 full."""
    options = parser().parse_args(argv)
    try:
        code: int = options.run(options)
    except AtticError as error:
        explain(error)
        return exit_code_of(error)
    except KeyboardInterrupt:
        print("\nattic vault: stopped. What was stored is used again next time.", file=sys.stderr)
        return 130
    except BrokenPipeError:
        sys.stderr.close()
        return 1
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
