WITH
-- Cal, and its unmatched member
cal_and_unmatched AS (
  SELECT "Cal".day, "Cal".week, 0 AS unmatched
  FROM "Cal"
  UNION ALL
  SELECT CAST(NULL AS DATE) AS day, CAST(NULL AS BIGINT) AS week, 1 AS unmatched
),
-- what of Cal is visible under the page
cal_lines AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS week_k,
      coalesce(cal_and_unmatched.week, 0) AS week
  FROM cal_and_unmatched
),
cal_days AS (
  SELECT DISTINCT 0 AS week_k, cal.week AS week, 0 AS day_k, cal.day AS day
  FROM "Cal" AS cal
),
-- shift Cal by -1 month
cal_shift AS (
  SELECT DISTINCT months.week_k AS week_k, months.week AS week, 0 AS day_2_k, cal.day AS day_2
  FROM (
    SELECT cal_days.week_k AS week_k,
        cal_days.week AS week,
        cal_days.day AS moved_day,
        CAST(date_trunc('month', cal_days.day) AS DATE) AS moved_month,
        count(*) OVER (PARTITION BY cal_days.week_k, cal_days.week, CAST(date_trunc('month', cal_days.day) AS DATE)) AS days_there
    FROM cal_days
  ) AS months
    JOIN "Cal" AS cal ON (CAST(date_trunc('month', cal.day) AS DATE) - DATE '1970-01-01') = (CAST(months.moved_month + to_months(-1) AS DATE) - DATE '1970-01-01')
  WHERE months.days_there = EXTRACT(day FROM CAST(DATE '1970-01-01' + CAST((CAST(months.moved_month + to_months(1) AS DATE) - DATE '1970-01-01') - 1 AS INTEGER) AS DATE))
  UNION
  SELECT DISTINCT months.week_k AS week_k, months.week AS week, 0 AS day_2_k, cal.day AS day_2
  FROM (
    SELECT cal_days.week_k AS week_k,
        cal_days.week AS week,
        cal_days.day AS moved_day,
        CAST(date_trunc('month', cal_days.day) AS DATE) AS moved_month,
        count(*) OVER (PARTITION BY cal_days.week_k, cal_days.week, CAST(date_trunc('month', cal_days.day) AS DATE)) AS days_there
    FROM cal_days
  ) AS months
    JOIN "Cal" AS cal ON (cal.day - DATE '1970-01-01') = (CAST(months.moved_day + to_months(-1) AS DATE) - DATE '1970-01-01')
  WHERE NOT (months.days_there = EXTRACT(day FROM CAST(DATE '1970-01-01' + CAST((CAST(months.moved_month + to_months(1) AS DATE) - DATE '1970-01-01') - 1 AS INTEGER) AS DATE)))
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (cal.day IS NULL) THEN 2 ELSE 0 END AS day_3_k,
      coalesce(cal.day, DATE '1970-01-01') AS day_3,
      sum(booking.seats) AS seats_sum
  FROM "Booking" AS booking
    LEFT JOIN "Cal" AS cal ON booking.day = cal.day
  GROUP BY 1, 2
),
booking_values AS (
  SELECT cal_shift.week_k AS week_k,
      cal_shift.week AS week,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats
  FROM booking_groups
    JOIN cal_shift ON booking_groups.day_3_k = cal_shift.day_2_k AND booking_groups.day_3 = cal_shift.day_2
  GROUP BY 1, 2
),
cal_days_2 AS (
  SELECT DISTINCT 0 AS week_k, cal.week AS week, 0 AS day_4_k, cal.day AS day_4
  FROM "Cal" AS cal
),
-- stretch Cal to start of year
cal_start AS (
  SELECT DISTINCT last_2.week_k AS week_k, last_2.week AS week, 0 AS day_5_k, cal.day AS day_5
  FROM (
    SELECT cal_days_2.week_k AS week_k, cal_days_2.week AS week, max(cal_days_2.day_4) AS last_day_2
    FROM cal_days_2
    GROUP BY cal_days_2.week_k, cal_days_2.week
  ) AS last_2
    JOIN "Cal" AS cal ON (cal.day >= CAST(date_trunc('year', last_2.last_day_2) AS DATE)) AND (cal.day <= last_2.last_day_2)
),
booking_values_2 AS (
  SELECT cal_start.week_k AS week_k,
      cal_start.week AS week,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_2
  FROM booking_groups
    JOIN cal_start ON booking_groups.day_3_k = cal_start.day_5_k AND booking_groups.day_3 = cal_start.day_5
  GROUP BY 1, 2
),
cal_days_3 AS (
  SELECT DISTINCT 0 AS week_k, cal.week AS week, 0 AS day_6_k, cal.day AS day_6
  FROM "Cal" AS cal
),
-- shift Cal by ABS(-1) day
cal_shift_2 AS (
  SELECT DISTINCT cal_days_3.week_k AS week_k, cal_days_3.week AS week, 0 AS day_7_k, cal.day AS day_7
  FROM cal_days_3
    JOIN "Cal" AS cal ON (cal.day - DATE '1970-01-01') = (cal_days_3.day_6 - DATE '1970-01-01') + (1 * CAST(greatest(least(abs(0 - 1), 120000), -120000) AS BIGINT))
  WHERE abs(0 - 1) IS NOT NULL
),
booking_values_3 AS (
  SELECT cal_shift_2.week_k AS week_k,
      cal_shift_2.week AS week,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_3
  FROM booking_groups
    JOIN cal_shift_2 ON booking_groups.day_3_k = cal_shift_2.day_7_k AND booking_groups.day_3 = cal_shift_2.day_7
  GROUP BY 1, 2
),
cal_days_4 AS (
  SELECT DISTINCT 0 AS week_k, cal.week AS week, 0 AS day_8_k, cal.day AS day_8
  FROM "Cal" AS cal
),
-- stretch Cal back 2 day
cal_back AS (
  SELECT DISTINCT last.week_k AS week_k, last.week AS week, 0 AS day_9_k, cal.day AS day_9
  FROM (
    SELECT cal_days_4.week_k AS week_k, cal_days_4.week AS week, max(cal_days_4.day_8) AS last_day
    FROM cal_days_4
    GROUP BY cal_days_4.week_k, cal_days_4.week
  ) AS last
    JOIN "Cal" AS cal ON (((last.last_day - DATE '1970-01-01') + 1) - (1 * 2) <= (cal.day - DATE '1970-01-01')) AND (cal.day <= last.last_day)
),
booking_values_4 AS (
  SELECT cal_back.week_k AS week_k,
      cal_back.week AS week,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_4
  FROM booking_groups
    JOIN cal_back ON booking_groups.day_3_k = cal_back.day_9_k AND booking_groups.day_3 = cal_back.day_9
  GROUP BY 1, 2
)
SELECT grid.week_k, grid.week, grid.x, grid.y, grid.z, grid.u
FROM (
  SELECT cal_lines.week_k AS week_k,
      cal_lines.week AS week,
      booking_values.seats AS x,
      booking_values_2.seats_2 AS y,
      booking_values_3.seats_3 AS z,
      booking_values_4.seats_4 AS u
  FROM cal_lines
    LEFT JOIN booking_values ON booking_values.week_k = cal_lines.week_k AND booking_values.week = cal_lines.week
    LEFT JOIN booking_values_2 ON booking_values_2.week_k = cal_lines.week_k AND booking_values_2.week = cal_lines.week
    LEFT JOIN booking_values_3 ON booking_values_3.week_k = cal_lines.week_k AND booking_values_3.week = cal_lines.week
    LEFT JOIN booking_values_4 ON booking_values_4.week_k = cal_lines.week_k AND booking_values_4.week = cal_lines.week
) AS grid
WHERE grid.x IS NOT NULL OR grid.y IS NOT NULL OR grid.z IS NOT NULL OR grid.u IS NOT NULL
ORDER BY grid.week_k = -1, grid.week_k, grid.week ASC
