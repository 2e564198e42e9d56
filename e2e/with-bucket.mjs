// Runs a command with an S3-compatible server beside it: a general-purpose one from npm that checks
// signatures. Its address and keys are in the variables that such programs share.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import S3rver from "s3rver";

const [program, ...words] = process.argv.slice(2);
const directory = mkdtempSync(join(tmpdir(), "newtfern-bucket-"));
const server = new S3rver({
  address: "127.0.0.1",
  port: 0,
  directory,
  silent: true,
  vhostBuckets: false,
  configureBuckets: [{ name: "newtfern" }],
});
const { port } = await server.run();
const child = spawn(program, words, {
  stdio: "inherit",
  env: {
    ...process.env,
    AWS_ENDPOINT_URL: `http://127.0.0.1:${port}`,
    AWS_REGION: "eu-central-1",
    AWS_ACCESS_KEY_ID: "S3RVER",
    AWS_SECRET_ACCESS_KEY: "S3RVER",
    AWS_ALLOW_HTTP: "true",
    NEWTFERN_TEST_BUCKET: "s3://newtfern",
  },
});
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => child.kill(signal));
child.on("exit", async (code, signal) => {
  await server.close();
  rmSync(directory, { recursive: true, force: true });
  process.exit(signal ? 1 : code);
});
child.on("error", (error) => {
  console.error(error.message);
  process.exit(1);
});
