//! What a benchmark tells.

/// Prints one line of the table.
pub(super) fn say(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stdout(), "{text}");
}

/// The value below which this share of the sorted values lies.
pub(super) fn percentile(sorted: &[f64], share: f64) -> f64 {
    let last = sorted.len().saturating_sub(1);
    let at = (last as f64 * share).round() as usize;
    sorted.get(at).copied().unwrap_or(f64::NAN)
}

pub(super) fn peak_mb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status
        .lines()
        .find(|l| l.starts_with("VmHWM:"))
        .unwrap_or_default();
    line.split_whitespace()
        .nth(1)
        .and_then(|kb| kb.parse::<f64>().ok())
        .unwrap_or(0.0)
        / 1000.0
}
