"""One walk over a shape, which writes functions; what differs between the functions is an outcome.

`walk.py` and `records.py` go through a use once: its stages, single values, collections, unions, records. At each place
they use a verb, and an outcome says what is written for it (`outcome.py` lists them). A verb that wraps what follows is
a context. `unless(check)`, say, is `if check: return REFUSED` in a quick function, and what follows stands straight on;
in a telling one it is `if check: faults.append(...)`, and what follows stands under its `else:`.

| outcome    | class      | it answers                                   | when something is wrong     |
|------------|------------|----------------------------------------------|-----------------------------|
| quick      | `Quick`    | a value, `REFUSED`, `DROPS` or `UNSURE`      | it leaves at once           |
| telling    | `Telling`  | a value, or `REFUSED` and every fault        | it notes a fault, goes on   |
| outgoing   | `Outgoing` | plain data, or `REFUSED`                     | it leaves at once           |
| trusting   | `Trusting` | plain data of what is known to be sound      | nothing is asked            |
| tracing    | `Tracing`  | as telling, and each stage that was passed   | it notes a fault, goes on   |

What they promise each other:

- What the quick function admits, the telling one would admit, as an equal value. So the quick one is asked first, and
  most data is never told about.
- Where the quick function says REFUSED, the telling one has a fault to tell. Where it cannot know (a subclass of dict,
  a class that lies, a document beside the type, an exception), it says UNSURE: no other option of a union is tried.
- The telling function has the last word. It asks quick functions about nested records, which are sound as a rule.
- Whether a value may be shown is decided from the shape, while code is written: `Frame.shown`. A telling function of a
  secret has no variable of it in any fault; a quick one raises nothing that has its words.

Where a walk is, its frame says (`frame.py`). It is handed down and never changed: a verb that reads a part of the value
hands down a frame of that part. Nothing is saved and put back.

What reads a value, by source and by what it is, and what each does where it is not as it should be:

| what came                                   | quick                         | telling                    |
|---------------------------------------------|-------------------------------|----------------------------|
| of the very class, and in its final form    | taken as it is                | the same                   |
| of the class, but to be read or brought     | read: by an expression, or by | read by the same reader;   |
| into form                                   | its reader, which may stop    | what stops it is told      |
| of a class that may be taken for it         | UNSURE                        | read                       |
| of another class                            | REFUSED                       | a fault of code `kind`     |
| absent, with no default                     | REFUSED (a KeyError)          | a fault, first in order    |
| a key that nobody declared                  | DROPS, where it is asked for  | told, or a fault           |
"""
