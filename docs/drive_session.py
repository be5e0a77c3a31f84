#!/usr/bin/env python3
"""Drives a session of Elm Lantern: what toll does each barge pay? Uses nothing but the JSON lines of --format json.

    drive_session.py elm-lantern PROGRAM FUNCTION EXPRESSION [-- ARGUMENTS]
"""
import json
import subprocess
import sys


class Session:
    def __init__(self, lantern, program, arguments=()):
        command = [lantern, "debug", program, "--format", "json", "--stdout", "/dev/null"]
        if arguments:
            command += ["--", *arguments]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        self.number = 0

    def ask(self, line):
        """Sends one command; returns whether it worked, and the objects it answered with."""
        self.number += 1
        self.process.stdin.write(line + "\n")
        self.process.stdin.flush()
        objects = []
        for text in self.process.stdout:
            answer = json.loads(text)
            if answer["kind"] == "answer" and answer["command"] == self.number:
                return answer["worked"], objects
            objects.append(answer)
        raise EOFError("the session ended before it answered " + line)

    def stop_of(self, line):
        worked, objects = self.ask(line)
        stops = [each for each in objects if each["kind"] == "stop"]
        if not worked or not stops:
            raise RuntimeError(next((each["what"] for each in objects if each["kind"] == "error"), "no stop"))
        return stops[-1]

    def end(self):
        self.process.stdin.close()
        return self.process.wait()


def main():
    lantern, program, function, expression = sys.argv[1:5]
    session = Session(lantern, program, sys.argv[6:])
    worked, objects = session.ask("pause at " + function)
    if not worked:
        sys.exit(objects[-1]["what"])
    stop = session.stop_of("launch")
    while stop["reason"] == "breakpoint":
        worked, objects = session.ask("value " + expression)
        shown = objects[-1]["value"].get("text", "?") if worked else objects[-1]["what"]
        print(f"{stop['function']}:{stop['line']}  {expression} = {shown}")
        stop = session.stop_of("continue")
    print(stop["why"])
    sys.exit(session.end())


if __name__ == "__main__":
    main()
