//! The statistics of weigh-ins against SciPy, R and a handbook; each names its source beside the
//! check.
#![allow(clippy::unwrap_used)]

use newtfern_standards::statistics::{
    confidence_reached, median, shift, signed_rank_cdf, signed_rank_statistic,
};
use serde_json::Value;

fn json(text: &str) -> Value {
    serde_json::from_str(text).unwrap()
}

/// SciPy 1.17.1 (make.py): the statistic, its exact p-value, the estimate and the interval's
/// bounds.
#[test]
fn signed_rank_figures_are_those_of_scipy() {
    for case in json(include_str!("reference/signed-rank/expected.json"))["cases"]
        .as_array()
        .unwrap()
    {
        let x: Vec<f64> = case["x"]
            .as_array()
            .unwrap()
            .iter()
            .map(|v| v.as_f64().unwrap())
            .collect();
        let figure = |name: &str| case[name].as_f64().unwrap();
        let interval = shift(&x, 0.95);
        assert!(
            (interval.estimate - figure("hodges_lehmann")).abs() < 1e-9,
            "n {}",
            x.len()
        );
        assert!(
            (interval.low - figure("low")).abs() < 1e-9
                && (interval.high - figure("high")).abs() < 1e-9,
            "n {}: {interval:?}",
            x.len()
        );
        let t = signed_rank_statistic(&x);
        assert_eq!(t, figure("t_plus"));
        let cdf = signed_rank_cdf(x.len());
        let p = if t == 0.0 {
            1.0
        } else {
            1.0 - cdf[t as usize - 1]
        };
        assert!(
            (p - figure("p_greater")).abs() < 1e-12,
            "n {}: {p}",
            x.len()
        );
    }
}

/// R 4.2.2 (make.R): estimate, interval, statistic, p-value, the confidence reached, and whole
/// distributions.
#[test]
fn signed_rank_figures_are_those_of_r() {
    let r = json(include_str!("reference/signed-rank/r.json"));
    let list = |v: &Value| -> Vec<f64> {
        let numbers = v.as_array().unwrap().iter();
        numbers.map(|v| v.as_f64().unwrap()).collect()
    };
    let cases = r["cases"].as_array().unwrap();
    for case in cases {
        let x = list(&case["x"]);
        let figure = |name: &str| case[name].as_f64().unwrap();
        let near = |name: &str, ours: f64| {
            let theirs = figure(name);
            assert!(
                (ours - theirs).abs() < 1e-9,
                "{name} of {x:?}: {ours}, {theirs}"
            );
        };
        let (level, n) = (figure("level"), x.len());
        let interval = shift(&x, level);
        near("hodges_lehmann", interval.estimate);
        near("low", interval.low);
        near("high", interval.high);
        near("median", median(&x));
        near("reached", confidence_reached(n, level));
        let t = signed_rank_statistic(&x);
        near("t_plus", t);
        let below = match t as usize {
            0 => 0.0,
            t => signed_rank_cdf(n)[t - 1],
        };
        near("p_greater", 1.0 - below);
    }
    let tables = r["distributions"].as_array().unwrap();
    for table in tables {
        let ours = signed_rank_cdf(table["n"].as_u64().unwrap() as usize);
        let theirs = list(&table["cdf"]);
        assert_eq!(ours.len(), theirs.len());
        assert!(ours.iter().zip(&theirs).all(|(a, b)| (a - b).abs() < 1e-12));
    }
    assert_eq!((cases.len(), tables.len()), (20, 4));
}

/// Hollander, Wolfe and Chicken, table A.4 (from memory): for n = 10, P(T+ >= 47) = .024 and
/// P(T+ >= 46) = .032; for n = 5, P(T+ >= 15) = .031.
#[test]
fn signed_rank_tails_are_those_of_the_table() {
    let upper = |n: usize, t: usize| 1.0 - signed_rank_cdf(n)[t - 1];
    assert!(
        (upper(10, 47) - 0.024).abs() < 0.0006
            && (upper(10, 46) - 0.032).abs() < 0.0006
            && (upper(5, 15) - 0.031).abs() < 0.0006
    );
}
