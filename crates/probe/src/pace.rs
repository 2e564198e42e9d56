//! Time that this machine keeps from its browsers. A page on a busy machine is late through no
//! fault of its own: whoever waits for one waits by a [`Timer`], which stands still while the
//! browser may not run, and a visit takes down what it lost.
//!
//! Three things tell of it, and the largest counts: how late a thread of ours is called that asked
//! to be called every tenth of a second; how long the browser's processes stood in the queue for a
//! processor behind others (the kernel's `schedstat`); and what the host took from a virtual
//! machine (`steal` of `/proc/stat`). A fourth is kept beside them: late beats of the page's own
//! thread, which the page's own work makes late too. They count where the kernel tells nothing of
//! the browser's processes, since nothing else is known then.

use newtfern_standards::observation::{Stretch, Withheld};
use std::collections::{HashMap, VecDeque};
use std::sync::{Condvar, Mutex, MutexGuard, Once, PoisonError};
use std::time::{Duration, Instant};

/// Time between two beats.
const EVERY: Duration = Duration::from_millis(100);
/// The processes of the browsers are looked for anew at every so many beats.
const LOOK_EVERY: u32 = 5;
/// Beats that are kept: ten minutes of them.
const MOST_BEATS: usize = 6_000;
/// Less than this of a beat is nobody's loss: the kernel counts some of its figures in hundredths
/// of a second.
const NOISE: Duration = Duration::from_millis(15);
/// A timer takes at most so many times what it was set to.
const MOST_TIMES: u32 = 6;
/// A visit keeps its losses in stretches of this length, ms.
const STRETCH_MS: f64 = 500.0;

/// Measurements of the machine so far.
#[derive(Default)]
struct Beats {
    /// Instants, each with all that was lost until then.
    beats: VecDeque<(Instant, Duration)>,
    /// Process groups of browsers that run.
    groups: Vec<i32>,
    /// The kernel has told how long a browser's process stood in its queue.
    kernel_tells: bool,
}

static BEATS: Mutex<Beats> = Mutex::new(Beats {
    beats: VecDeque::new(),
    groups: Vec::new(),
    kernel_tells: false,
});
/// Told when there is a browser again.
static WANTED: Condvar = Condvar::new();

fn beats() -> MutexGuard<'static, Beats> {
    BEATS.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A browser whose machine is watched, until this is dropped.
pub struct Watched(i32);

impl Drop for Watched {
    fn drop(&mut self) {
        let groups = &mut beats().groups;
        if let Some(at) = groups.iter().position(|g| *g == self.0) {
            groups.swap_remove(at);
        }
    }
}

/// Watches for a browser, by its process group.
pub fn watch(group: i32) -> Watched {
    static STARTED: Once = Once::new();
    STARTED.call_once(|| {
        // Where no thread can be had nothing is lost that anybody knows of.
        let _ = std::thread::Builder::new().name("pace".into()).spawn(beat);
    });
    beats().groups.push(group);
    WANTED.notify_all();
    Watched(group)
}

/// Beats as long as there are browsers.
fn beat() {
    let mut kernel = Kernel::default();
    let mut before = Instant::now();
    let mut turn = 0;
    loop {
        {
            let mut state = beats();
            if state.groups.is_empty() {
                kernel = Kernel::default();
                while state.groups.is_empty() {
                    state = WANTED.wait(state).unwrap_or_else(PoisonError::into_inner);
                }
                before = Instant::now();
                turn = 0;
            }
            if turn % LOOK_EVERY == 0 {
                kernel.groups.clone_from(&state.groups);
            }
        }
        if turn % LOOK_EVERY == 0 {
            kernel.find_processes();
        }
        turn += 1;
        std::thread::sleep(EVERY.saturating_sub(before.elapsed()));
        let now = Instant::now();
        let length = now - before;
        let late = length.saturating_sub(EVERY);
        let lost = late.max(kernel.lost()).min(length);
        let mut state = beats();
        state.kernel_tells |= !kernel.processes.is_empty();
        let so_far = state.beats.back().map_or(Duration::ZERO, |b| b.1);
        let more = if lost > NOISE { lost } else { Duration::ZERO };
        state.beats.push_back((now, so_far + more));
        if state.beats.len() > MOST_BEATS {
            state.beats.pop_front();
        }
        before = now;
    }
}

/// The kernel's figures, with what they were a beat ago.
#[derive(Default)]
struct Kernel {
    groups: Vec<i32>,
    /// Times of each process: in the queue, ns, and running, hundredths of a second.
    processes: HashMap<i32, (u64, u64)>,
    /// Times of each processor, hundredths of a second: busy, and taken by the host.
    processors: Vec<(u64, u64)>,
}

impl Kernel {
    /// The processes of the browsers that are watched.
    fn find_processes(&mut self) {
        let Ok(all) = std::fs::read_dir("/proc") else {
            return;
        };
        let ids = all.filter_map(|e| e.ok()?.file_name().to_str()?.parse::<i32>().ok());
        let ours: Vec<i32> = ids
            .filter(|id| group_of(*id).is_some_and(|g| self.groups.contains(&g)))
            .collect();
        self.processes.retain(|id, _| ours.contains(id));
        for id in ours {
            if let Some(figures) = figures(id) {
                self.processes.entry(id).or_insert(figures);
            }
        }
    }

    /// Returns what the browsers lost since the last look.
    fn lost(&mut self) -> Duration {
        let (mut most, mut ours) = (0, 0);
        for (id, before) in &mut self.processes {
            if let Some(now) = figures(*id) {
                most = most.max(now.0.saturating_sub(before.0));
                ours += now.1.saturating_sub(before.1);
                *before = now;
            }
        }
        let now = std::fs::read_to_string("/proc/stat").map_or(Vec::new(), |s| processors(&s));
        let (mut busy, mut by_host) = (0, 0);
        for (before, now) in self.processors.iter().zip(&now) {
            busy += now.0.saturating_sub(before.0);
            by_host = by_host.max(now.1.saturating_sub(before.1));
        }
        self.processors = now;
        let in_queue = Duration::from_nanos(most).mul_f64(share_of_others(ours, busy));
        in_queue.max(Duration::from_millis(10 * by_host))
    }
}

/// The process group of a process (proc(5): the third field after the name in parentheses).
fn group_of(process: i32) -> Option<i32> {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).ok()?;
    let after_name = &stat[stat.rfind(')')? + 1..];
    after_name.split_whitespace().nth(2)?.parse().ok()
}

/// The part of the processors' work that was not the browsers' own: a page that keeps itself
/// waiting, with workers and frames that run without end, lost nothing to others.
fn share_of_others(ours: u64, busy: u64) -> f64 {
    match busy {
        0 => 0.0,
        busy => 1.0 - ours.min(busy) as f64 / busy as f64,
    }
}

/// Returns how long a process has stood in the queue, ns (the kernel's sched-stats: the second of
/// three figures; of a renderer this is the thread that runs the page), and how long all of it ran,
/// hundredths of a second (proc(5): the eleventh and twelfth figures after the name in
/// parentheses).
fn figures(process: i32) -> Option<(u64, u64)> {
    let told = std::fs::read_to_string(format!("/proc/{process}/schedstat")).ok()?;
    let waited = told.split_whitespace().nth(1)?.parse().ok()?;
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).ok()?;
    let mut after_name = stat[stat.rfind(')')? + 1..].split_whitespace().skip(11);
    let mut next = || after_name.next()?.parse::<u64>().ok();
    Some((waited, next()? + next()?))
}

/// Returns how long each processor was busy, the host's share included, and what the host took
/// (proc(5): user, nice, system, idle, iowait, irq, softirq, steal), hundredths of a second.
fn processors(stat: &str) -> Vec<(u64, u64)> {
    let one = |line: &str| {
        let (name, figures) = line.split_once(' ')?;
        name.strip_prefix("cpu").filter(|n| !n.is_empty())?;
        let figures = figures.split_whitespace().map(str::parse::<u64>);
        let figures: Vec<u64> = figures.collect::<Result<_, _>>().ok()?;
        let steal = *figures.get(7)?;
        let idle = figures[3] + figures[4];
        Some((figures[..8].iter().sum::<u64>() - idle, steal))
    };
    stat.lines().filter_map(one).collect()
}

/// All that was lost until a moment.
fn lost_until(state: &Beats, at: Instant) -> Duration {
    let after = state.beats.partition_point(|(when, _)| *when <= at);
    let before = after.checked_sub(1).and_then(|i| state.beats.get(i));
    match (before, state.beats.get(after)) {
        (Some((from, lost)), Some((until, more))) => {
            let share = (at - *from).as_secs_f64() / (*until - *from).as_secs_f64();
            *lost + (*more - *lost).mul_f64(share.clamp(0.0, 1.0))
        }
        // The next beat is due: what it is late by is lost already.
        (Some((from, lost)), None) if !state.groups.is_empty() => {
            *lost + (at - *from).saturating_sub(EVERY + NOISE)
        }
        (Some((_, lost)), None) => *lost,
        (None, _) => Duration::ZERO,
    }
}

/// Returns what browsers lost since then.
pub fn lost_since(from: Instant) -> Duration {
    let now = Instant::now();
    let state = beats();
    lost_until(&state, now).saturating_sub(lost_until(&state, from))
}

/// Returns how much of the time since then a browser could run; at least a sixth of it.
pub fn spent_since(from: Instant) -> Duration {
    let all = from.elapsed();
    all.saturating_sub(lost_since(from)).max(all / MOST_TIMES)
}

/// Returns what a visit lost that began then; `late` are the times in which its page's thread could
/// not run, ms since it began.
pub fn withheld(began: Instant, late: &[(f64, f64)]) -> Withheld {
    let watched_ms = began.elapsed().as_secs_f64() * 1000.0;
    let state = beats();
    let lost = |from_ms: f64, until_ms: f64| {
        let at = |ms: f64| lost_until(&state, began + Duration::from_secs_f64(ms / 1000.0));
        let lost_ms = at(until_ms).saturating_sub(at(from_ms)).as_secs_f64() * 1000.0;
        match state.kernel_tells {
            true => lost_ms,
            false => lost_ms.max(late_between(late, from_ms, until_ms)),
        }
    };
    Withheld {
        watched_ms: watched_ms.round(),
        stretches: stretches(watched_ms, lost),
        page_late_ms: late_between(late, 0.0, watched_ms).round(),
    }
}

/// Time between two moments in which beats were late, ms.
fn late_between(late: &[(f64, f64)], from_ms: f64, until_ms: f64) -> f64 {
    let shared = |(from, until): &(f64, f64)| (until.min(until_ms) - from.max(from_ms)).max(0.0);
    late.iter().map(shared).sum()
}

/// Stretches of a visit in which something was lost.
fn stretches(watched_ms: f64, lost: impl Fn(f64, f64) -> f64) -> Vec<Stretch> {
    let mut out = Vec::new();
    let mut from_ms = 0.0;
    while from_ms < watched_ms {
        let until_ms = (from_ms + STRETCH_MS).min(watched_ms);
        let lost_ms = lost(from_ms, until_ms);
        if lost_ms >= 1.0 {
            out.push(Stretch {
                from_ms: from_ms.round(),
                until_ms: until_ms.round(),
                lost_ms: lost_ms.round(),
            });
        }
        from_ms = until_ms;
    }
    out
}

/// Runs out after so long, not counting what the machine keeps from its browsers.
#[derive(Debug, Clone, Copy)]
pub struct Timer {
    began: Instant,
    set_to: Duration,
}

impl Timer {
    /// Starts a timer of this length now.
    pub fn new(set_to: Duration) -> Timer {
        Timer {
            began: Instant::now(),
            set_to,
        }
    }

    /// The same, of milliseconds.
    pub fn ms(ms: u64) -> Timer {
        Timer::new(Duration::from_millis(ms))
    }

    /// Returns the time that is left; it may turn out more.
    pub fn left(&self) -> Duration {
        self.set_to.saturating_sub(spent_since(self.began))
    }

    /// Returns whether the time has run out.
    pub fn is_over(&self) -> bool {
        self.left().is_zero()
    }
}

/// The timer ran out first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Late;

/// Waits for something until a timer runs out.
///
/// # Errors
/// [`Late`], where it did.
pub async fn within<T>(set_to: Duration, work: impl Future<Output = T>) -> Result<T, Late> {
    let timer = Timer::new(set_to);
    tokio::pin!(work);
    loop {
        let left = timer.left();
        if let Ok(done) = tokio::time::timeout(left, &mut work).await {
            return Ok(done);
        }
        if timer.is_over() {
            return Err(Late);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Beats at tenths of a second from an instant, each with what was lost in it, ms.
    fn state(began: Instant, lost: &[u64]) -> Beats {
        let mut all = Duration::ZERO;
        let beats = (1..).zip(lost).map(|(n, ms)| {
            all += Duration::from_millis(*ms);
            (began + EVERY * n, all)
        });
        let first = std::iter::once((began, Duration::ZERO));
        Beats {
            beats: first.chain(beats).collect(),
            groups: vec![1],
            kernel_tells: true,
        }
    }

    #[test]
    fn losses_are_read_between_two_beats_and_after_the_last() {
        let began = Instant::now();
        let state = state(began, &[0, 80, 40]);
        let at = |ms| lost_until(&state, began + Duration::from_millis(ms)).as_millis();
        assert_eq!(
            [at(0), at(100), at(150), at(200), at(300)],
            [0, 0, 40, 80, 120]
        );
        // The next beat is late.
        assert_eq!(at(405), 120);
        assert_eq!(at(1_300), 120 + 885);
        let before = began.checked_sub(EVERY).unwrap();
        assert_eq!(lost_until(&state, before), Duration::ZERO);
        // Nobody watches any more.
        let idle = Beats {
            groups: Vec::new(),
            ..state
        };
        let later = began + Duration::from_secs(9);
        assert_eq!(lost_until(&idle, later).as_millis(), 120);
    }

    #[test]
    fn late_beats_are_cut_to_the_stretch_that_is_asked_about() {
        let late = [(200.0, 700.0), (900.0, 1_300.0)];
        let lost = |from, until| late_between(&late, from, until);
        assert_eq!([lost(0.0, 500.0), lost(500.0, 1_000.0)], [300.0, 300.0]);
        assert_eq!(lost(1_300.0, 2_000.0), 0.0);
        let found = stretches(1_600.0, lost);
        let told: Vec<(f64, f64)> = found.iter().map(|s| (s.from_ms, s.lost_ms)).collect();
        assert_eq!(told, [(0.0, 300.0), (500.0, 300.0), (1_000.0, 300.0)]);
    }

    #[test]
    fn the_kernels_figures_are_read_as_its_manual_says() {
        // proc(5): user nice system idle iowait irq softirq steal guest guest_nice.
        let stat = "cpu  10 20 30 40 50 60 70 80 0 0\ncpu0 1 2 3 4 5 6 7 8 0 0\ncpu1 1 2 3 4 5 6 7 \
            9 0 0\nintr 5\n";
        assert_eq!(processors(stat), [(27, 8), (28, 9)]);
        assert_eq!(processors("cpu0 1 2 3\n"), []);
        let own = std::process::id() as i32;
        let group = rustix::process::getpgid(None)
            .unwrap()
            .as_raw_nonzero()
            .get();
        assert_eq!(group_of(own), Some(group));
        assert_eq!(group_of(-1), None);
        assert!(figures(own).is_some() && figures(-1).is_none());
    }

    #[test]
    fn what_browsers_take_from_themselves_is_not_lost_to_others() {
        assert_eq!(share_of_others(20, 20), 0.0);
        assert_eq!(share_of_others(5, 20), 0.75);
        // Figures of two files are never of the same instant.
        assert_eq!(share_of_others(21, 20), 0.0);
        assert_eq!(share_of_others(0, 0), 0.0);
    }

    #[tokio::test]
    async fn a_timer_that_has_run_out_ends_what_is_waited_for() {
        let never = std::future::pending::<()>();
        assert_eq!(within(Duration::ZERO, never).await, Err(Late));
        assert_eq!(within(Duration::from_secs(600), async { 7 }).await, Ok(7));
        assert!(Timer::ms(0).is_over() && !Timer::ms(600_000).is_over());
    }
}
