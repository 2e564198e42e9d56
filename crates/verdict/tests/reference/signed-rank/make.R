# Makes r.json. Written with R 4.2.2 (Debian's r-base-core), its own package stats and nothing else:
#   Rscript make.R > r.json
# Exact tests only: no two differences are tied, none is zero. The first case is the example of R's own
# help page of wilcox.test (Hollander and Wolfe, 1973, p. 29 f., Hamilton depression scale factor).
options(digits = 17)
numbers <- function(x) paste0("[", paste(sprintf("%.17g", x), collapse = ", "), "]")
case <- function(x, level) {
  w <- wilcox.test(x, conf.int = TRUE, conf.level = level, exact = TRUE)
  greater <- wilcox.test(x, alternative = "greater", exact = TRUE)
  n <- length(x)
  cut <- max(qsignrank((1 - level) / 2, n), 1)
  sprintf('{"x": %s, "level": %.17g, "hodges_lehmann": %.17g, "low": %.17g, "high": %.17g, "t_plus": %.17g, "p_greater": %.17g, "reached": %.17g, "median": %.17g}',
          numbers(x), level, w$estimate, w$conf.int[1], w$conf.int[2], w$statistic, greater$p.value,
          1 - 2 * psignrank(cut - 1, n), median(x))
}
before <- c(1.83, 0.50, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.30)
after <- c(0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29)
cases <- case(before - after, 0.95)
set.seed(20261126)
for (n in c(6, 7, 8, 12, 16, 20, 31)) {
  # Skewed and heavy-tailed, as loads are.
  x <- round(40 + 8 * rt(n, 3) + rexp(n, 1 / 6), 4)
  stopifnot(!any(duplicated(abs(x))))
  cases <- c(cases, case(x, 0.95), case(x - 40, 0.95), if (n >= 8) case(x, 0.99))
}
tables <- sapply(c(6, 8, 12, 20), function(n) sprintf('{"n": %d, "cdf": %s}', n, numbers(psignrank(0:(n * (n + 1) / 2), n))))
cat(sprintf('{"r": "%s",\n "cases": [\n  %s\n ],\n "distributions": [\n  %s\n ]}\n',
            getRversion(), paste(cases, collapse = ",\n  "), paste(tables, collapse = ",\n  ")))
