"""A small client of the Debug Adapter Protocol that speaks to `elm-lantern serve`, and holds what every conversation
has to keep: each request is answered once and by its own name, messages are numbered one by one, nothing comes
before initialize is answered, and nothing stops before it was set going."""
import atexit, json, os, select, shutil, socket, subprocess, tempfile, time
from pathlib import Path


def own_folder(name):
    """For what a test compiles and keeps; gone when the test has ended."""
    folder = Path(tempfile.mkdtemp(prefix=f"lantern-{name}-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


class Refused(Exception):
    def __init__(self, response):
        super().__init__(json.dumps(response))
        self.response = response


class Client:
    def __init__(self, lantern, recording=None, port=None, environment=None):
        self.process = self.socket = None
        if port:
            self.socket = socket.create_connection(("127.0.0.1", port))
            self.to, self.source = self.socket.fileno(), self.socket.fileno()
        else:
            self.process = subprocess.Popen([lantern, "serve"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                                            env={**os.environ, **(environment or {})})
            self.to, self.source = self.process.stdin.fileno(), self.process.stdout.fileno()
        self.recording = open(recording, "a") if recording else None
        self.number, self.kept = 0, b""
        self.asked, self.answered = {}, {}      # by number
        self.events, self.seen, self.requests = [], [], []
        self.last_from_there, self.is_initialized, self.is_set_going = 0, False, False

    # ---- to there
    def write(self, data):
        view = memoryview(data)
        while view:
            view = view[os.write(self.to, view):]

    def send_raw(self, content):
        self.write(b"Content-Length: %d\r\n\r\n" % len(content) + content)

    def send(self, command, **arguments):
        self.number += 1
        message = {"seq": self.number, "type": "request", "command": command, "arguments": arguments}
        self.asked[self.number] = command
        if command in ("configurationDone", "continue", "next", "stepIn", "stepOut", "goto", "restart", "pause", "evaluate"):
            self.is_set_going = True
        self.send_raw(json.dumps(message).encode())
        return self.number

    def send_together(self, *requests):
        """All in one piece, so that the later ones wait while the first is answered."""
        whole, numbers = b"", []
        for command, arguments in requests:
            self.number += 1
            self.asked[self.number] = command
            numbers.append(self.number)
            content = json.dumps({"seq": self.number, "type": "request", "command": command, "arguments": arguments}).encode()
            whole += b"Content-Length: %d\r\n\r\n" % len(content) + content
        self.write(whole)
        return numbers

    # ---- from there
    def receive(self, seconds=60):
        end = time.monotonic() + seconds
        while True:
            head = self.kept.find(b"\r\n\r\n")
            if head >= 0:
                name, _, length = self.kept[:head].partition(b":")
                assert name == b"Content-Length", self.kept[:100]
                whole = head + 4 + int(length)
                if len(self.kept) >= whole:
                    message = json.loads(self.kept[head + 4:whole].decode())
                    self.kept = self.kept[whole:]
                    self.check(message)
                    return message
            left = end - time.monotonic()
            if left <= 0 or not select.select([self.source], [], [], left)[0]:
                raise TimeoutError(f"nothing came in {seconds} s; before it: {json.dumps(self.seen[-3:])[:2000]}")
            data = os.read(self.source, 1 << 16)
            if not data:
                raise EOFError("the other side is gone")
            self.kept += data

    def check(self, message):
        if self.recording:
            self.recording.write(json.dumps(message) + "\n")
        self.seen.append(message)
        assert message["seq"] == self.last_from_there + 1, message
        self.last_from_there += 1
        kind = message["type"]
        if kind == "response":
            number = message["request_seq"]
            if number == 0:      # to what was no message
                assert not message["success"]
                return
            assert number not in self.answered, f"answered twice: {message}"
            assert self.asked.get(number) == message["command"], message
            self.answered[number] = message
            if message["command"] == "initialize" and message["success"]:
                self.is_initialized = True
            return
        assert self.is_initialized, f"came before initialize was answered: {message}"
        if kind == "request":
            self.requests.append(message)
            return
        assert kind == "event", message
        if message["event"] == "stopped":
            assert self.is_set_going, f"stopped before anything was set going: {message}"
        self.events.append(message)

    def answer_to(self, number, seconds=60):
        while number not in self.answered:
            self.receive(seconds)
        return self.answered[number]

    def response(self, command, **arguments):
        return self.answer_to(self.send(command, **arguments))

    def ask(self, command, **arguments):
        response = self.response(command, **arguments)
        if not response["success"]:
            raise Refused(response)
        return response.get("body")

    def refused(self, command, **arguments):
        response = self.response(command, **arguments)
        assert not response["success"], response
        return response["message"]

    def wait(self, *names, seconds=60):
        while True:
            for i, event in enumerate(self.events):
                if event["event"] in names:
                    return self.events.pop(i)
            self.receive(seconds)

    def has_come(self, name):
        return [e for e in self.events if e["event"] == name]

    # ---- what most conversations begin and go on with
    def begin(self, **launch):
        self.capabilities = self.ask("initialize", adapterID="elm-lantern", supportsInvalidatedEvent=True,
                                     supportsMemoryEvent=True, supportsProgressReporting=True, supportsVariablePaging=True)
        self.wait("initialized")
        self.ask("attach" if "pid" in launch else "launch", **launch)

    def go(self):
        self.ask("configurationDone")
        return self.wait("stopped", "terminated")

    def move(self, command, **arguments):
        arguments.setdefault("threadId", 1)
        self.ask(command, **arguments)
        return self.wait("stopped", "terminated")

    def frames(self, thread=1, **part):
        frames = self.ask("stackTrace", threadId=thread, **part)["stackFrames"]
        return frames

    def scope(self, name, frame=None):
        frame = frame or self.frames(levels=1)[0]
        for scope in self.ask("scopes", frameId=frame["id"])["scopes"]:
            if scope["name"] == name:
                return scope["variablesReference"]
        return None

    def variables(self, reference, **part):
        return self.ask("variables", variablesReference=reference, **part)["variables"]

    def locals(self, frame=None):
        frame = frame or self.frames(levels=1)[0]
        found = {}
        for name in ("Parameters", "Locals"):
            for each in self.variables(self.scope(name, frame)):
                found[each["name"]] = each
        return found

    def value(self, expression, **more):
        return self.ask("evaluate", expression=expression, **more)["result"]

    def end(self):
        try:
            self.ask("disconnect")
        except EOFError:
            pass
        return self.gone()

    def gone(self, seconds=60):
        if self.recording:
            self.recording.close()
        if self.process:
            self.process.stdin.close()
            end = time.monotonic() + seconds    # what is still to come is let come
            while select.select([self.source], [], [], max(0, end - time.monotonic()))[0] and os.read(self.source, 1 << 16):
                pass
            status = self.process.wait(seconds)
            self.process.stdout.close()
            return status
        self.socket.close()
        return 0
