// Starts the demo in a folder of its own and waits for its address.
const { spawn } = require("child_process");
const fs = require("fs");
const os = require("os");
const path = require("path");

module.exports = async () => {
  const binary = process.env.NEWTFERN_BINARY || path.join(__dirname, "../target/debug/newtfern");
  // A blank in the path, because people have those.
  const parent = fs.mkdtempSync(path.join(os.tmpdir(), "newtfern e2e-"));
  fs.chmodSync(parent, 0o755);
  const demo = spawn(
    binary,
    ["demo", "--folder", path.join(parent, "demo data"), "--quiet", "--port", "0"],
    { stdio: ["ignore", "pipe", "pipe"] },
  );
  let said = "";
  const address = await new Promise((resolve, reject) => {
    const fail = setTimeout(
      () => reject(new Error("the demo did not start in 90 s:\n" + said)),
      90_000,
    );
    const read = (bytes) => {
      said += bytes;
      const found = said.match(/Newtfern is at\s+(http:\S+)/);
      if (found) {
        clearTimeout(fail);
        resolve(found[1]);
      }
    };
    demo.stdout.on("data", read);
    demo.stderr.on("data", read);
    demo.on("exit", (code) => {
      clearTimeout(fail);
      reject(new Error(`the demo ended with ${code}:\n${said}`));
    });
  });
  process.env.NEWTFERN_ADDRESS = address;
  return async () => {
    await new Promise((resolve) => {
      demo.removeAllListeners("exit");
      demo.on("exit", resolve);
      demo.kill("SIGINT");
    });
    fs.rmSync(parent, { recursive: true, force: true });
  };
};
