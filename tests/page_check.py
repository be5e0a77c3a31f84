#!/usr/bin/env python3
"""Opens the pages that elm-lantern writes in a real browser, without a network, and holds what a reader relies on:
no error in the console, nothing loaded from elsewhere, every text readable against its ground in the light and in
the dark, the search finds, all of it there with scripts switched off, and a large session quick to open.

The browser is spoken to through its own debugging pipe (file descriptors 3 and 4): no driver is needed.
Usage: page_check.py BUILD_FOLDER   exits with 77 where there is no chromium."""
import json, os, shutil, signal, subprocess, sys, tempfile, time
from pathlib import Path

build = Path(sys.argv[1]).resolve()
lantern = build / "elm-lantern"
browser = shutil.which("chromium")
if not browser:
    print("chromium is not here: the test of the pages is SKIPPED")
    sys.exit(77)

CONTRAST = r"""
(() => {
  const part = c => { c /= 255; return c <= 0.03928 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4; };
  const light = ([r, g, b]) => 0.2126 * part(r) + 0.7152 * part(g) + 0.0722 * part(b);
  const colour = text => (text.match(/[\d.]+/g) || [0, 0, 0, 0]).map(Number);
  const ground = element => {
    for (let at = element; at; at = at.parentElement) {
      const c = colour(getComputedStyle(at).backgroundColor);
      if (c.length === 3 || c[3] > 0.99) return c;
    }
    return matchMedia("(prefers-color-scheme: dark)").matches ? [18, 18, 18] : [255, 255, 255];
  };
  const poor = [];
  for (const element of document.querySelectorAll("body *")) {
    if (element.closest("svg")) continue;
    const own = [...element.childNodes].some(n => n.nodeType === 3 && n.textContent.trim());
    if (!own || element.tagName === "SCRIPT" || element.tagName === "STYLE") continue;
    const a = light(colour(getComputedStyle(element).color)), b = light(ground(element));
    const ratio = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
    if (ratio < 4.5) poor.push(element.tagName + "." + element.className + " " + ratio.toFixed(2) + " " + element.textContent.slice(0, 30));
  }
  return poor.slice(0, 5);
})()
"""


class Browser:
    def __init__(self, profile):
        to_read, self.to_write = os.pipe()
        self.from_read, from_write = os.pipe()

        def take_pipes():
            os.dup2(to_read, 13), os.dup2(from_write, 14)
            os.dup2(13, 3), os.dup2(14, 4)

        self.process = subprocess.Popen(
            [browser, "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-sync", "--disable-background-networking",
             "--disable-component-update", "--remote-debugging-pipe", f"--user-data-dir={profile}", "--window-size=1280,800"],
            preexec_fn=take_pipes, close_fds=False, start_new_session=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        os.close(to_read), os.close(from_write)
        self.number, self.kept, self.events, self.session = 0, b"", [], None
        target = self.ask("Target.createTarget", url="about:blank")["targetId"]
        self.session = self.ask("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime", "Log", "Network"):
            self.ask(domain + ".enable")

    def message(self):
        while b"\0" not in self.kept:
            more = os.read(self.from_read, 1 << 16)
            if not more:
                raise RuntimeError("the browser has gone")
            self.kept += more
        text, self.kept = self.kept.split(b"\0", 1)
        return json.loads(text)

    def ask(self, method, **parameters):
        self.number += 1
        wanted = {"id": self.number, "method": method, "params": parameters}
        if self.session:
            wanted["sessionId"] = self.session
        os.write(self.to_write, json.dumps(wanted).encode() + b"\0")
        while True:
            answer = self.message()
            if answer.get("id") == self.number:
                if "error" in answer:
                    raise RuntimeError(f"{method}: {answer['error']}")
                return answer["result"]
            self.events.append(answer)

    def open(self, path):
        self.events.clear()
        begun = time.monotonic()
        self.ask("Page.navigate", url=path.as_uri())
        while not any(e.get("method") == "Page.loadEventFired" for e in self.events):
            self.events.append(self.message())
        return time.monotonic() - begun

    def value(self, script):
        answer = self.ask("Runtime.evaluate", expression=script, returnByValue=True)
        if "exceptionDetails" in answer:
            raise RuntimeError(answer["exceptionDetails"]["text"])
        return answer["result"].get("value")

    def troubles(self):
        found = []
        for event in self.events:
            method, of = event.get("method"), event.get("params", {})
            if method == "Runtime.exceptionThrown" or (method == "Log.entryAdded" and of["entry"]["level"] == "error"):
                found.append(json.dumps(of)[:200])
            if method == "Runtime.consoleAPICalled" and of["type"] == "error":
                found.append(json.dumps(of)[:200])
            if method == "Network.requestWillBeSent" and not of["request"]["url"].startswith(("file:", "data:")):
                found.append("it loads " + of["request"]["url"])
        return found

    def end(self):
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


failures = []


def expect(holds, what):
    if not holds:
        failures.append(what)
        print("FAILED:", what)


def lantern_run(folder, *words):
    ran = subprocess.run([str(lantern), *map(str, words)], cwd=folder, stdin=subprocess.DEVNULL, capture_output=True, text=True)
    if ran.returncode not in (0, 1):
        raise RuntimeError(f"{words}: {ran.stdout}{ran.stderr}")
    return ran


def make_pages(folder):
    demo = build / "demo"
    fixtures = build / "tests" / "programs"
    does = lambda *commands: [word for each in commands for word in ("--do", each)]
    if demo.exists():
        lantern_run(folder, "debug", demo / "bargeq", "--stdout", folder / "printed.txt", "--out", "session",
                    *does("pause at lowest", "launch", "locals", "draw levels as grid.svg", "-value nobody", "out", "over", "stack",
                          "save session as saved.html", "save locals as locals.html", "continue"))
        lantern_run(folder, "diagnose", demo / "bargeq", "--stdout", "/dev/null", "--out", "why")
        lantern_run(folder, "heap", demo / "wharf", "--stdout", "/dev/null", "--out", "heap")
        lantern_run(folder, "compare", demo / "tollhouse", demo / "tollhouse-fast", "--run", "--out", "compare")
        lantern_run(folder, "became", demo / "weir", "lower", "headroom", "--out", "became")
        lantern_run(folder, "survey", demo / "bargeq", "--out", "survey")
    program = next(fixtures.glob("**/drawn-gcc"))
    many = [f"over" for _ in range(1000)]
    lantern_run(folder, "debug", program, "--stdout", "/dev/null", "--out", "many", *does("reach main", "launch 400", "reach main", *["-" + each for each in many]))


def check(page, in_browser, name):
    took = in_browser.open(page)
    for scheme in ("light", "dark"):
        in_browser.ask("Emulation.setEmulatedMedia", features=[{"name": "prefers-color-scheme", "value": scheme}])
        poor = in_browser.value(CONTRAST)
        expect(not poor, f"{name}, {scheme}: {poor}")
    troubles = in_browser.troubles()
    expect(not troubles, f"{name}: {troubles}")
    expect(in_browser.value("document.documentElement.scrollWidth <= innerWidth + 1"), f"{name} is wider than the window")
    return took


with tempfile.TemporaryDirectory() as work, \
        tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:  # its helpers may still write there
    folder = Path(work)
    make_pages(folder)
    in_browser = Browser(profile)
    try:
        pages = sorted(folder.glob("**/*.html"))
        expect(len(pages) >= 16, f"only {len(pages)} pages were written")
        for page in pages:
            check(page, in_browser, str(page.relative_to(folder)))
        saved = folder / "saved.html"
        in_browser.open(saved)
        stops = in_browser.value("document.querySelectorAll('nav li').length")
        expect(stops >= 3, f"{stops} stops along the side")
        expect(in_browser.value("!!document.querySelector('figure svg text')"), "the picture is in the page")
        expect(in_browser.value("document.body.textContent.includes('nobody')"), "the failure is in the page")
        in_browser.value("(() => { const f = document.querySelector('nav input'); f.value = 'nobody'; f.dispatchEvent(new Event('input')); })()")
        shown = in_browser.value("[...document.querySelectorAll('main > section')].filter(s => !s.hidden).length")
        all_of_them = in_browser.value("document.querySelectorAll('main > section').length")
        expect(0 < shown < all_of_them, f"the search leaves {shown} of {all_of_them}")
        in_browser.ask("Emulation.setScriptExecutionDisabled", value=True)
        in_browser.open(saved)
        in_browser.ask("Emulation.setScriptExecutionDisabled", value=False)
        in_browser.ask("Emulation.setDeviceMetricsOverride", width=480, height=800, deviceScaleFactor=1, mobile=False)
        in_browser.open(saved)
        expect(in_browser.value("document.documentElement.scrollWidth <= 481"), "a narrow window has to be scrolled sideways")
        in_browser.ask("Emulation.clearDeviceMetricsOverride")
        many = folder / "many" / "session.html"
        size, took = many.stat().st_size, in_browser.open(many)
        stops = in_browser.value("document.querySelectorAll('nav li').length")
        print(f"{stops} stops: {size / 1e6:.2f} MB, open in {took:.2f} s")
        expect(size < 5e6, f"{stops} stops take {size} bytes")
    finally:
        in_browser.end()
print(f"{len(failures)} failures" if failures else "the pages hold")
sys.exit(1 if failures else 0)
