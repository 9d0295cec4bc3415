"""Read an input list from standard input in a process of its own, bounded in memory and time.

The answer goes to standard output, as JSON: ``{"list": ...}``, or ``{"place": ..., "reason": ...}`` if it is refused.
"""

import json
import resource
import sys

from pydantic import TypeAdapter

from iskelo.formats.input_list_file import ListFile, read_input_list
from iskelo.formats.refusal import Unreadable

MEMORY_MAX_BYTES = 1536 * 1024 * 1024
CPU_SECONDS = 15

list_adapter = TypeAdapter(ListFile)


def main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_MAX_BYTES, MEMORY_MAX_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_SECONDS, CPU_SECONDS))
    try:
        answer = b'{"list":' + list_adapter.dump_json(read_input_list(sys.stdin.buffer.read())) + b"}"
    except Unreadable as refused:
        answer = json.dumps({"place": refused.place, "reason": refused.reason}).encode()
    except MemoryError:
        answer = json.dumps({"place": "", "reason": "the workbook holds too much to be read"}).encode()
    sys.stdout.buffer.write(answer)


if __name__ == "__main__":
    main()
