//! One target in a process of its own: a stack as small as a thread of a small system has, bounded
//! memory, a clock, and the input that ended the process kept.

use std::fs::File;
use std::os::unix::fs::FileExt;
use std::path::PathBuf;
use std::process::{Child, Command};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Folder that finds are written to.
pub const FOLDER: &str = "target/fuzz";
/// Stack of the thread that parses, in bytes.
const STACK: usize = 512 * 1_024;
/// Memory of the whole process, its programs and seeds included: address space, which counts what
/// is only reserved too.
const MEMORY: u64 = 2 << 30;
/// An input that takes so much processor time ends the process.
const HUNG: Duration = Duration::from_secs(20);

/// Runs work within the bounds.
pub fn bounded(work: impl FnOnce() -> anyhow::Result<()> + Send + 'static) -> anyhow::Result<()> {
    use rustix::process::{Resource, Rlimit, setrlimit};
    let limit = Rlimit {
        current: Some(MEMORY),
        maximum: Some(MEMORY),
    };
    setrlimit(Resource::As, limit)?;
    let thread = std::thread::Builder::new().stack_size(STACK).spawn(work)?;
    thread
        .join()
        .unwrap_or_else(|_| Err(anyhow::anyhow!("the target panicked outside a run")))
}

/// The file of a find.
pub fn find_path(target: &str, which: &str) -> std::io::Result<PathBuf> {
    std::fs::create_dir_all(FOLDER)?;
    Ok(PathBuf::from(FOLDER).join(format!("{}-{which}", target.replace(' ', "-"))))
}

/// The processor time of one thread, as the kernel counts it: a machine that is busy with other
/// things neither shortens the work nor makes an input look slow.
pub struct Clock(File);

impl Clock {
    /// The clock of the thread that asks.
    pub fn of_this_thread() -> std::io::Result<Clock> {
        Ok(Clock(File::open("/proc/thread-self/schedstat")?))
    }

    /// Returns the processor time that the thread has used.
    pub fn spent(&self) -> std::io::Result<Duration> {
        let mut line = [0; 64];
        let length = self.0.read_at(&mut line, 0)?;
        let line = str::from_utf8(&line[..length]).unwrap_or_default();
        let nanos = line.split(' ').next().and_then(|n| n.parse().ok());
        nanos
            .map(Duration::from_nanos)
            .ok_or_else(|| std::io::Error::other("the kernel counts no time of threads"))
    }
}

/// The input that is being parsed, where a dead process leaves it.
pub struct Watched {
    file: File,
    /// The thread's milliseconds at which the present input began; the highest number while there
    /// is none.
    since: Arc<AtomicU64>,
    length: Mutex<usize>,
}

impl Watched {
    /// Starts the watch over one parser.
    pub fn start(target: &str, clock: Arc<Clock>) -> std::io::Result<Watched> {
        let file = File::create(find_path(target, "last")?)?;
        let since = Arc::new(AtomicU64::new(u64::MAX));
        let looked_at = since.clone();
        let hung = HUNG.as_millis() as u64;
        std::thread::Builder::new()
            .stack_size(64 * 1_024)
            .spawn(move || {
                loop {
                    std::thread::sleep(Duration::from_secs(1));
                    let Ok(now) = clock.spent() else { return };
                    let now = now.as_millis() as u64;
                    if now.saturating_sub(looked_at.load(Ordering::Relaxed)) > hung {
                        std::process::abort();
                    }
                }
            })?;
        Ok(Watched {
            file,
            since,
            length: Mutex::new(0),
        })
    }

    /// Notes that this input is parsed from now on.
    pub fn begin(&self, input: &[u8], now: Duration) {
        let mut length = self.length.lock().unwrap_or_else(PoisonError::into_inner);
        // In place: a file that is made anew for each run would cost more than the run.
        let _ = self.file.write_all_at(input, 0);
        if input.len() < *length {
            let _ = self.file.set_len(input.len() as u64);
        }
        *length = input.len();
        self.since.store(now.as_millis() as u64, Ordering::Relaxed);
    }

    /// Notes that the input was parsed.
    pub fn end(&self) {
        self.since.store(u64::MAX, Ordering::Relaxed);
    }
}

/// Runs all targets, so many at once; gives those that found something or died.
pub fn all(names: &[&str], more: &[String], at_once: usize) -> anyhow::Result<Vec<String>> {
    let program = std::env::current_exe()?;
    let mut waiting = names.iter().rev().copied().collect::<Vec<&str>>();
    let mut running: Vec<(&str, Child)> = Vec::new();
    let mut failed = Vec::new();
    while !waiting.is_empty() || !running.is_empty() {
        while running.len() < at_once {
            let Some(name) = waiting.pop() else { break };
            let mut command = Command::new(&program);
            command.args(more).args(["--child", name]);
            running.push((name, command.spawn()?));
        }
        let mut still = Vec::new();
        for (name, mut child) in running {
            match child.try_wait()? {
                None => still.push((name, child)),
                Some(status) if status.success() => {}
                Some(status) => failed.push(format!("{name} ({status})")),
            }
        }
        running = still;
        std::thread::sleep(Duration::from_millis(100));
    }
    Ok(failed)
}
