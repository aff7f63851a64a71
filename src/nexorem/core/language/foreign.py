"""Functions that dialects of SQL have and this language has not: what is written here instead."""

from __future__ import annotations

# By name in small letters: the function here that takes the same arguments (`` where there is none), and what to write.
INSTEAD: dict[str, tuple[str, str]] = {
    **dict.fromkeys(("ifnull", "nvl", "isnull", "zeroifnull"), ("COALESCE", "COALESCE(x, 0) gives a value for an empty one.")),
    **dict.fromkeys(("len", "length", "character_length"), ("CHAR_LENGTH", "CHAR_LENGTH(x) counts characters.")),
    "ceiling": ("CEIL", ""),
    "pow": ("POWER", ""),
    "ucase": ("UPPER", ""),
    "lcase": ("LOWER", ""),
    "substr": ("SUBSTRING", ""),
    "log": ("LN", "LN(x) is the natural logarithm; LN(x) / LN(10) that of ten."),
    **dict.fromkeys(("std", "stdev", "stddev_samp"), ("stddev", "stddev is the sample's.")),
    **dict.fromkeys(("string_agg", "group_concat", "array_agg"), ("listagg", "listagg(x, ', ') lists texts in ascending order.")),
    **dict.fromkeys(("any_value", "arbitrary"), ("the", "the(Table.column) is the single visible value.")),
    **dict.fromkeys(("make_date",), ("date_of", "date_of(year, month, day)")),
    **dict.fromkeys(("make_timestamp",), ("datetime_of", "datetime_of(year, month, day, hour, minute)")),
    **dict.fromkeys(("if", "decode"), ("", "Write CASE WHEN condition THEN x ELSE y END.")),
    **dict.fromkeys(("concat", "concat_ws"), ("", "Texts are joined by ||, as in x || ', ' || y.")),
    **dict.fromkeys(
        ("year", "month", "day", "quarter", "week", "hour", "minute", "second", "date_part", "datepart"),
        ("", "Write EXTRACT(YEAR FROM d), with the part that is meant."),
    ),
    **dict.fromkeys(("date_trunc", "last_day"), ("", "Write start_of(month, d), or end_of(month, d).")),
    **dict.fromkeys(("datediff", "date_diff", "timestampdiff"), ("", "A date less a date is a number of days: d - e.")),
    **dict.fromkeys(("dateadd", "date_add", "date_sub", "add_months"), ("", "Write d + INTERVAL '1' MONTH.")),
    **dict.fromkeys(
        ("to_date", "to_number", "to_char", "convert", "str", "date", "timestamp"), ("", "Write CAST(x AS date), or another type.")
    ),
    "left": ("", "Write SUBSTRING(x FROM 1 FOR n)."),
    "right": ("", "Write SUBSTRING(x FROM CHAR_LENGTH(x) - n + 1)."),
    "ltrim": ("", "Write TRIM(LEADING FROM x)."),
    "rtrim": ("", "Write TRIM(TRAILING FROM x)."),
    **dict.fromkeys(("instr", "strpos", "charindex", "locate"), ("", "Write POSITION(part IN x).")),
    "sign": ("", "Write CASE WHEN x > 0 THEN 1 WHEN x < 0 THEN -1 ELSE 0 END."),
    **dict.fromkeys(
        ("now", "current_date", "current_timestamp", "sysdate"),
        ("", "A formula knows no clock; take the last date of the calendar, max(Calendar.date)."),
    ),
    **dict.fromkeys(("row_number", "dense_rank", "ntile", "percent_rank"), ("", "rank(x among ROWS) places a value among others.")),
    **dict.fromkeys(("lag", "lead", "first_value", "last_value"), ("", "Move the dates instead: x given (shift Calendar by -1 month).")),
    **dict.fromkeys(("count_if", "sum_if"), ("", "Write the condition inside: sum(x where condition).")),
    "person": ("", "person('email') stands in the rules of a clearance."),
    "approx_count_distinct": ("", "Write count(distinct Table.column)."),
    **dict.fromkeys(("percentile_cont", "percentile_disc", "quantile"), ("percentile", "percentile(x, 0.9)")),
}
