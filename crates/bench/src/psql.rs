//! The SQL of a page, as the server's log has it, sent again through psql: what the database alone
//! takes for it.

use anyhow::{Context, Result};
use newtfern_store::Store;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The throw-away server's log, from here on.
pub struct Log {
    path: PathBuf,
    from: u64,
}

impl Log {
    /// Starts to log every statement of new connections to this database, with its parameters.
    ///
    /// # Errors
    /// Where the server is not ours to set up.
    pub async fn start(store: &Store) -> Result<Log> {
        let name: String = sqlx::query_scalar("select current_database()")
            .fetch_one(&store.pool)
            .await?;
        // A name cannot be a parameter; this one is made of letters, digits and underscores.
        let sql = format!("alter database {name} set log_statement = 'all'");
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .execute(&store.pool)
            .await?;
        let data: String = sqlx::query_scalar("show data_directory")
            .fetch_one(&store.pool)
            .await?;
        let folder = Path::new(&data).parent().context("a folder")?;
        let path = folder.join("server.log");
        Ok(Log { path, from: 0 })
    }

    /// Statements before this are not of interest.
    ///
    /// # Errors
    /// Where the log cannot be read.
    pub fn skip(&mut self) -> Result<()> {
        self.from = std::fs::metadata(&self.path)?.len();
        Ok(())
    }

    /// The statements since, with their parameters put in.
    ///
    /// # Errors
    /// Where the log cannot be read.
    pub fn statements(&self) -> Result<Vec<String>> {
        let mut file = std::fs::File::open(&self.path)?;
        file.seek(SeekFrom::Start(self.from))?;
        let mut text = String::new();
        file.read_to_string(&mut text)?;
        Ok(statements(&text))
    }
}

/// Entries of a log: a line that does not begin with a blank, and those after it that do.
fn statements(log: &str) -> Vec<String> {
    let mut entries: Vec<String> = Vec::new();
    for line in log.lines() {
        match (line.starts_with('\t'), entries.last_mut()) {
            (true, Some(last)) => {
                last.push('\n');
                last.push_str(line.trim_start_matches('\t'));
            }
            _ => entries.push(line.to_string()),
        }
    }
    let mut out: Vec<String> = Vec::new();
    for entry in entries {
        if let Some((_, rest)) = entry.split_once("LOG:  execute ") {
            out.extend(rest.split_once(": ").map(|(_, sql)| sql.to_string()));
        } else if let (Some((_, given)), Some(last)) =
            (entry.split_once("DETAIL:  parameters: "), out.last_mut())
        {
            *last = fill(last, &parameters(given));
        }
    }
    out
}

/// `$1 = 'it''s', $2 = NULL` as literals in their order.
fn parameters(given: &str) -> Vec<String> {
    let mut out = Vec::new();
    let mut rest = given;
    while let Some((_, after)) = rest.split_once(" = ") {
        let end = match after.strip_prefix('\'') {
            None => after.find(", $").unwrap_or(after.len()),
            Some(quoted) => {
                let mut at = 0;
                while let Some(n) = quoted[at..].find('\'') {
                    at += n + 1;
                    if !quoted[at..].starts_with('\'') {
                        break;
                    }
                    at += 1;
                }
                at + 1
            }
        };
        out.push(after[..end].to_string());
        rest = &after[end..];
    }
    out
}

/// Puts parameters into a statement, from the last, so that $1 is not taken for the beginning of
/// $10.
fn fill(sql: &str, parameters: &[String]) -> String {
    let mut out = sql.to_string();
    for (i, value) in parameters.iter().enumerate().rev() {
        out = out.replace(&format!("${}", i + 1), value);
    }
    out
}

/// Runs the statements as often as asked through one psql; ms of each run, sorted.
///
/// # Errors
/// Where psql is not there, or a statement fails in it.
pub fn time(address: &str, statements: &[String], times: usize) -> Result<Vec<f64>> {
    let mut script = String::from("\\set ON_ERROR_STOP 1\n\\timing on\n");
    for _ in 0..times {
        for sql in statements {
            script += &format!("{};\n", sql.trim().trim_end_matches(';'));
        }
        script += "\\echo newtfern-run\n";
    }
    let mut psql = Command::new("psql")
        .args(["-X", "-q", "-A", "-t", address])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .context("psql runs")?;
    let mut input = psql.stdin.take().context("psql reads")?;
    let writer = std::thread::spawn(move || input.write_all(script.as_bytes()));
    let output = psql.wait_with_output()?;
    let _ = writer.join();
    let errors = String::from_utf8_lossy(&output.stderr);
    anyhow::ensure!(output.status.success(), "psql: {errors}");
    let (mut runs, mut sum) = (Vec::new(), 0.0);
    for line in String::from_utf8_lossy(&output.stdout).lines() {
        if line == "newtfern-run" {
            runs.push(std::mem::take(&mut sum));
        } else if let Some(ms) = line.strip_prefix("Time: ") {
            let number = ms.split(' ').next().unwrap_or_default();
            sum += number.parse::<f64>().unwrap_or(0.0);
        }
    }
    runs.sort_by(f64::total_cmp);
    Ok(runs)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_log_gives_its_statements_with_their_parameters() {
        let log = "2026-11-25 17:00:00 UTC [7] LOG:  execute sqlx_s_1: select $1, $10\n\tfrom \
            sites where name = $2\n2026-11-25 17:00:00 UTC [7] DETAIL:  parameters: $1 = 'it''s, \
            $2 = x', $2 = NULL, $3 = '3', $4 = '4', $5 = '5', $6 = '6', $7 = '7', $8 = '8', $9 = \
            '9', $10 = '{1,2}'\n2026-11-25 17:00:00 UTC [7] LOG:  execute <unnamed>: select 1\n";
        assert_eq!(
            statements(log),
            [
                "select 'it''s, $2 = x', '{1,2}'\nfrom sites where name = NULL",
                "select 1"
            ]
        );
    }
}
