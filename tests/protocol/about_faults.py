"""Messages that are none, what is broken off, clients that go away."""
from common import *


def test_what_is_no_message_is_refused_and_the_conversation_goes_on():
    c = client()
    for wrong in (b"Content-Length: 9\r\n\r\n{\"a\": 1,,", b"Content-Length: 2\r\n\r\n[]", b"Content-Length: x\r\n\r\n",
                  b"Content-Length: 99999999999\r\n\r\n", b"hello there\r\n\r\n"):
        if b"999999" in wrong:
            continue
        c.write(wrong)
        message = c.receive()
        assert not message["success"] and message["request_seq"] == 0, message
    c.number += 1
    c.asked[c.number] = ""
    c.send_raw(json.dumps({"seq": c.number, "type": "request"}).encode())
    assert not c.answer_to(c.number)["success"]
    assert "before initialize" in c.refused("threads")
    c.ask("initialize", adapterID="x")
    assert "once" in c.refused("initialize", adapterID="x")
    assert "no request" in c.refused("fly")
    c.number += 1
    c.asked[c.number] = "threads"
    c.send_raw(json.dumps({"seq": c.number, "type": "request", "command": "threads", "arguments": ["x"]}).encode())
    assert not c.answer_to(c.number)["success"]
    assert c.end() == 0


def test_a_message_that_is_too_long_is_passed_over():
    c = client()
    size = (16 << 20) + 1
    c.write(b"Content-Length: %d\r\n\r\n" % size)
    for _ in range(size >> 16):
        c.write(b" " * (1 << 16))
    c.write(b" " * (size & 0xffff))
    assert "too long" in c.receive()["body"]["error"]["format"]
    c.ask("initialize", adapterID="x")
    c.end()


def test_a_request_that_waits_is_cancelled():
    c = flow(stopOnEntry=True)
    c.go()
    numbers = c.send_together(("stackTrace", {"threadId": 1}), ("threads", {}), ("cancel", {"requestId": c.number + 2}))
    assert c.answer_to(numbers[0])["success"] and c.answer_to(numbers[2])["success"]
    assert c.answer_to(numbers[1])["message"] == "cancelled"
    c.end()


def where_a_call_would_not_come_back():
    program, source = compiled("spin.c", """
volatile int stop;
int spin(void) { while (!stop) {} return 1; }
int main(void) { return stop ? spin() : 0; }
""", "-O0")
    c = client()
    c.begin(program=str(program), stopOnEntry=True, allowCalls=True)
    c.go()
    return c


def test_a_call_without_end_is_given_up():
    c = where_a_call_would_not_come_back()
    number = c.send("evaluate", expression="spin()", context="watch")
    time.sleep(0.3)
    cancel = c.send("cancel", requestId=number)
    assert not c.answer_to(number)["success"]
    assert c.answer_to(cancel)["success"]
    assert c.value("stop") == "0" and c.frames(levels=1)[0]["name"] == "main"
    c.end()


def test_those_who_look_do_not_wait_for_a_call_that_does_not_come_back():
    c = where_a_call_would_not_come_back()
    call = c.send("evaluate", expression="spin()", context="watch")
    early = c.send("stackTrace", threadId=1)
    time.sleep(1.2)
    late = c.send("stackTrace", threadId=1)
    for number in (early, late):
        answer = c.answer_to(number)
        assert not answer["success"] and answer["message"] == "notStopped", answer
    c.send("cancel", requestId=call)
    assert not c.answer_to(call)["success"]
    assert c.frames(levels=1)[0]["name"] == "main", "and then they are answered as ever"
    c.end()


def test_a_client_that_goes_away_leaves_nothing_behind():
    for running in (False, True):
        program, source = compiled("stay.c", "#include <unistd.h>\nint main(void) { for (;;) usleep(1000); }\n", "-O0")
        c = client()
        c.begin(program=str(program), stopOnEntry=not running)
        c.ask("configurationDone")
        if not running:
            c.wait("stopped")
        process = process_of(c)
        assert is_there(process)
        assert c.gone() == 0
        assert not is_there(process)


def test_a_program_is_asked_to_end():
    program, source = compiled("asked.c", """
#include <signal.h>
#include <stdio.h>
#include <unistd.h>
static volatile sig_atomic_t asked;
static void on_term(int number) { asked = number; }
int main(void) {
    signal(SIGTERM, on_term);
    while (!asked) usleep(1000);
    printf("in order\\n");
    return 4;
}
""", "-O0")
    c = client()
    c.begin(program=str(program))
    c.ask("configurationDone")
    until(lambda: catches(process_of(c), signal.SIGTERM))
    c.ask("terminate")
    c.wait("terminated")
    assert output_of(c, "stdout") == "in order\n"
    assert [e["body"]["exitCode"] for e in c.seen if e["type"] == "event" and e["event"] == "exited"] == [4]
    c.end()


def test_a_program_that_was_launched_is_let_run_on():
    program, source = compiled("onward.c", "#include <unistd.h>\nint main(void) { for (int i = 0; i < 3000; i++) usleep(1000); }\n", "-O0")
    c = client()
    c.begin(program=str(program), stopOnEntry=True, stdout="/dev/null", stdin="/dev/null")
    c.go()
    process = process_of(c)
    c.ask("disconnect", terminateDebuggee=False)
    c.gone()
    assert is_there(process)
    os.kill(process, signal.SIGKILL)


def test_a_port_of_this_machine():
    import socket
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = subprocess.Popen([lantern, "serve", "--listen", str(port)], stderr=subprocess.PIPE, text=True)
    try:
        assert str(port) in server.stderr.readline()
        two = [Client(lantern, recording, port=port) for _ in range(2)]
        for c in two:
            c.begin(program=str(demo / "lockflow"), stdin=str(sheet), stopOnEntry=True)
        for c in two:
            assert c.go()["event"] == "stopped"
        processes = [process_of(c) for c in two]
        two[0].gone()
        assert two[1].move("next")["event"] == "stopped"
        two[1].end()
        until(lambda: not any(is_there(p) for p in processes))
        listening = subprocess.run(["ss", "-ltn"], capture_output=True, text=True).stdout if os.path.exists("/usr/bin/ss") else ""
        assert "0.0.0.0:" + str(port) not in listening
    finally:
        server.terminate()
        server.wait()
        server.stderr.close()


def test_those_who_only_look_do_not_wait_for_what_takes_long():
    program, source = compiled("store.c", """
static char store[1 << 30];
int main(void) {
    store[5] = 1;
    return store[6];
}
""", "-O0")
    c = client()
    c.begin(program=str(program))
    c.ask("setBreakpoints", source={"path": str(source)}, breakpoints=[{"line": 5}])
    c.go()
    frame = c.frames(levels=1)[0]["id"]
    long = ("evaluate", {"expression": 'find bytes 01020304 in all', "context": "repl"})
    sent = c.send_together(long, ("stackTrace", {"threadId": 1}), ("scopes", {"frameId": frame}), ("threads", {}),
                           ("setVariable", {"variablesReference": 1, "name": "none", "value": "1"}), ("modules", {}))
    for number in sent:
        c.answer_to(number)
    order = [m["request_seq"] for m in c.seen if m["type"] == "response" and m["request_seq"] in sent]
    assert order == [sent[i] for i in (1, 2, 3, 0, 4, 5)], (order, sent)
    assert c.answered[sent[1]]["body"]["stackFrames"][0]["name"] == "main"
    # What takes long is not ended because another request is.
    sent = c.send_together(long, ("completions", {"text": "ba", "column": 3}), ("cancel", {"requestId": c.number + 2}))
    assert c.answer_to(sent[0])["success"] and c.answer_to(sent[1])["message"] == "cancelled", c.answered[sent[1]]
    sent = c.send_together(long, ("threads", {}))
    c.answer_to(sent[1])
    assert sent[0] not in c.answered
    c.ask("cancel", requestId=sent[0])
    told = c.answer_to(sent[0])
    assert "broken off" in json.dumps(told), told
    c.end()
