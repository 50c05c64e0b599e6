//! A browser without a window that opens pages, where there is one. It is spoken to by its DevTools protocol.

use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::{Value, json};
use tempfile::TempDir;
use tungstenite::{Message, WebSocket};

/// How long the browser may take for anything.
const PATIENCE: Duration = Duration::from_secs(60);

/// A page that is open in a browser of its own.
pub(crate) struct OpenPage {
    browser: Child,
    socket: WebSocket<TcpStream>,
    session: String,
    sent: u64,
    /// What the browser reported: the name of each event with what it says.
    events: Vec<(String, Value)>,
    _profile: TempDir,
}

impl OpenPage {
    /// Opens a file without a network; none where there is no browser.
    pub(crate) fn of(file: &Path) -> Option<OpenPage> {
        let profile = TempDir::new().unwrap();
        let browser = Command::new("chromium")
            .args([
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                "--no-first-run",
                "--disable-quic",
            ])
            .args([
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
            ])
            .args(["--remote-debugging-port=0", "--window-size=1280,800"])
            .arg(format!("--user-data-dir={}", profile.path().display()))
            .arg("about:blank")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn();
        let Ok(browser) = browser else {
            println!("left out: there is no browser to open the page");
            return None;
        };
        let address = address(profile.path());
        let stream = TcpStream::connect(("127.0.0.1", address.0)).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        let url = format!("ws://127.0.0.1:{}{}", address.0, address.1);
        let (socket, _) = tungstenite::client(url, stream).unwrap();
        let (session, events) = (String::new(), Vec::new());
        let mut page = OpenPage { browser, socket, session, sent: 0, events, _profile: profile };
        let target = page.send("Target.createTarget", json!({ "url": "about:blank" }));
        let whole = json!({ "targetId": target["targetId"], "flatten": true });
        let session = page.send("Target.attachToTarget", whole);
        page.session = session["sessionId"].as_str().unwrap().to_owned();
        for domain in ["Page", "Runtime", "Log", "Network"] {
            page.send(&format!("{domain}.enable"), json!({}));
        }
        let cut_off = json!({ "offline": true, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0 });
        page.send("Network.emulateNetworkConditions", cut_off);
        page.load(file);
        Some(page)
    }

    /// Opens a file in its place.
    pub(crate) fn load(&mut self, file: &Path) {
        self.load_at(file, "");
    }

    /// The same with what is behind its name in the address.
    pub(crate) fn load_at(&mut self, file: &Path, behind: &str) {
        // A page that differs behind its name alone is not opened again.
        self.go_to("about:blank");
        self.go_to(&format!("file://{}{behind}", file.canonicalize().unwrap().display()));
    }

    /// Opens an address, and waits until all of it is there.
    fn go_to(&mut self, url: &str) {
        self.events.clear();
        self.send("Page.navigate", json!({ "url": url }));
        let started = Instant::now();
        while !self.events.iter().any(|(name, _)| name == "Page.loadEventFired") {
            assert!(started.elapsed() < PATIENCE, "the page is not ready");
            self.read();
        }
    }

    /// What an expression of a script comes to.
    pub(crate) fn get(&mut self, expression: &str) -> Value {
        let asked =
            json!({ "expression": expression, "returnByValue": true, "awaitPromise": true });
        let answer = self.send("Runtime.evaluate", asked);
        assert!(answer.get("exceptionDetails").is_none(), "{expression}: {answer}");
        answer["result"]["value"].clone()
    }

    /// The same as a text.
    pub(crate) fn text(&mut self, expression: &str) -> String {
        self.get(expression).as_str().unwrap_or_default().to_owned()
    }

    /// The same as a list of texts.
    pub(crate) fn texts(&mut self, expression: &str) -> Vec<String> {
        let found = self.get(expression);
        let texts = found.as_array().unwrap_or_else(|| panic!("{expression}: {found}")).iter();
        texts.map(|text| text.as_str().unwrap_or_default().to_owned()).collect()
    }

    /// Presses a key.
    pub(crate) fn press(&mut self, key: &str) {
        let text = if key == "Enter" { "\r" } else { "" };
        for kind in ["keyDown", "keyUp"] {
            let code = match key {
                "Enter" => 13,
                "Tab" => 9,
                "ArrowRight" => 39,
                "ArrowDown" => 40,
                _ => 0,
            };
            let text = if kind == "keyDown" { text } else { "" };
            let event = json!({ "type": kind, "key": key, "code": key, "text": text, "windowsVirtualKeyCode": code });
            self.send("Input.dispatchKeyEvent", event);
        }
    }

    /// Shows the page in a window of this width.
    pub(crate) fn widen(&mut self, width: u32) {
        let size =
            json!({ "width": width, "height": 800, "deviceScaleFactor": 1, "mobile": width < 600 });
        self.send("Emulation.setDeviceMetricsOverride", size);
    }

    /// Shows the page as a reader wishes it who has a dark screen, or a light one.
    pub(crate) fn darken(&mut self, is_dark: bool) {
        let scheme = if is_dark { "dark" } else { "light" };
        let features = json!([{ "name": "prefers-color-scheme", "value": scheme }]);
        self.send("Emulation.setEmulatedMedia", json!({ "features": features }));
    }

    /// Keeps the page's own script from running, from the next page on.
    pub(crate) fn forbid_scripts(&mut self) {
        self.send("Emulation.setScriptExecutionDisabled", json!({ "value": true }));
    }

    /// What went wrong on the page, and what it asked the network for.
    pub(crate) fn complaints(&mut self) -> Vec<String> {
        self.get("1");
        let complaint = |(name, says): &(String, Value)| match name.as_str() {
            "Runtime.exceptionThrown" | "Log.entryAdded" => Some(format!("{name}: {says}")),
            "Runtime.consoleAPICalled" => Some(format!("console: {says}")),
            "Network.requestWillBeSent" => {
                let url = says["request"]["url"].as_str().unwrap_or_default();
                let is_own = url.starts_with("file:") || url.starts_with("data:");
                (!is_own).then(|| format!("it asked for {url}"))
            }
            _ => None,
        };
        self.events.iter().filter_map(complaint).collect()
    }

    fn send(&mut self, method: &str, parameters: Value) -> Value {
        self.sent += 1;
        let mut message = json!({ "id": self.sent, "method": method, "params": parameters });
        if !self.session.is_empty() {
            message["sessionId"] = json!(self.session);
        }
        self.socket.send(Message::text(message.to_string())).unwrap();
        loop {
            if let Some(answer) = self.read() {
                assert!(answer.get("error").is_none(), "{method}: {answer}");
                return answer["result"].clone();
            }
        }
    }

    /// Reads a message: the answer to what was sent last, or else an event, which is kept.
    fn read(&mut self) -> Option<Value> {
        let Message::Text(text) = self.socket.read().unwrap() else { return None };
        let message: Value = serde_json::from_str(&text).unwrap();
        if message["id"] == json!(self.sent) {
            return Some(message);
        }
        if let Some(name) = message["method"].as_str() {
            self.events.push((name.to_owned(), message["params"].clone()));
        }
        None
    }
}

impl Drop for OpenPage {
    fn drop(&mut self) {
        let _ = self.browser.kill();
        let _ = self.browser.wait();
    }
}

/// The port and path at which a browser is spoken to, which it writes into its profile.
fn address(profile: &Path) -> (u16, String) {
    let started = Instant::now();
    loop {
        let text = std::fs::read_to_string(profile.join("DevToolsActivePort")).unwrap_or_default();
        let mut lines = text.lines();
        if let (Some(port), Some(path)) = (lines.next(), lines.next()) {
            return (port.parse().unwrap(), path.to_owned());
        }
        assert!(started.elapsed() < PATIENCE, "the browser does not start");
        std::thread::sleep(Duration::from_millis(20));
    }
}
