"""Gaps in words: what is missing, short enough for a table cell, and how far a sound gets."""

MISSING = {
    "never": "strip {strip:name} of {box:name} never reaches the computer: {reason:reason}",
    "not plugged in": "not plugged in",
    "source not plugged in": "{source:port} is not plugged in",
    "leads nowhere": "{gear:name} leads nowhere",
    "nothing leads to": "nothing leads to {end:port}",
    "jack without capture": "jack {number} has no capture channel",
    "program without device": "{program:name} has no device",
    "not passed on": "no program passes channel {channel} on",
    "not taken": "no program takes channel {channel}",
    "shows too few": "the {driver} driver shows {shown} of {has}",
    "voice into a program": "from program to program only a cable leads, and there is none",
    "no cable": "{box:name} plays it at its jacks; only a cable leads to another program",
    "voice without output": "voice {item:name} has no output",
    "bus without output": "bus {item:name} has no output",
    "track without output": "track {item:name} has no output",
    "output without channel": "output {item:name} has no channel",
    "no such playback": "no playback {channel}",
    "playback without jack": "playback {channel} has no jack",
    "jack leads elsewhere": "jack out {number} does not lead to {end:port}",
    "track without input": "track {item:name} has no input",
    "input without channel": "input {item:name} has no channel",
    "no such input channel": "input {item:name}: no channel {channel}",
    "takes others": "takes {taken:list}, not {channel}",
    "takes others of boxes": "takes {taken:channels}, not {box:name} channel {channel}",
    "leg not filled": "{input:name} does not fill leg {leg}",
    "takes another input": "track {item:name} takes another input",
    "not recorded": "no track takes {item:name}",
}

BROKEN = {
    "goes nowhere": "{start:port} goes nowhere yet; {fed:fact}: {missing:fact}.",
    "gets no further": "{start:port} gets no further than {far:port}; {fed:fact}: {missing:fact}.",
    "fed from": "{end:port} is fed from {back:port}",
    "fed by nothing": "{end:port} is fed by nothing",
}
