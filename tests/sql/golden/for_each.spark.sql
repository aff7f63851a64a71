WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.code, `Port`.depth, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS code, CAST(NULL AS BIGINT) AS depth, 1 AS unmatched
),
-- Cal, and its unmatched member
cal_and_unmatched AS (
  SELECT `Cal`.year, 0 AS unmatched
  FROM `Cal`
  UNION ALL
  SELECT CAST(NULL AS BIGINT) AS year, 1 AS unmatched
),
-- what of Cal is visible under the page
cal_lines AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS year_k,
      coalesce(cal_and_unmatched.year, 0) AS year
  FROM cal_and_unmatched
),
-- Port
port_rows AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS port_row_k,
      coalesce(port_and_unmatched.code, '') AS port_row
  FROM port_and_unmatched
),
-- known Port
port_rows_known AS (
  SELECT port_rows.port_row_k AS port_row_k, port_rows.port_row AS port_row
  FROM port_rows
  WHERE port_rows.port_row_k != 2
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS port_row_k,
      coalesce(port.code, '') AS port_row,
      CASE WHEN (cal.day IS NULL) THEN 2 ELSE 0 END AS year_k,
      coalesce(cal.year, 0) AS year,
      CAST(sum(booking.seats) AS BIGINT) AS seats
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
    LEFT JOIN `Cal` AS cal ON booking.day = cal.day
  GROUP BY 1, 2, 3, 4
),
each_port_rows_known AS (
  SELECT DISTINCT port_rows_known.port_row_k AS port_row_k,
      port_rows_known.port_row AS port_row,
      cal_lines.year_k AS year_k,
      cal_lines.year AS year
  FROM cal_lines
    JOIN port_rows_known ON true
),
-- top 2 of known Port by seats
port_rows_known_top AS (
  SELECT placed.port_row_k AS port_row_k,
      placed.port_row AS port_row,
      placed.year_k AS year_k,
      placed.year AS year
  FROM (
    SELECT each_port_rows_known.port_row_k AS port_row_k,
        each_port_rows_known.port_row AS port_row,
        each_port_rows_known.year_k AS year_k,
        each_port_rows_known.year AS year,
        rank() OVER (PARTITION BY each_port_rows_known.year_k, each_port_rows_known.year ORDER BY booking_values.seats DESC) AS place,
        2 AS most
    FROM each_port_rows_known
      LEFT JOIN booking_values ON booking_values.port_row_k = each_port_rows_known.port_row_k AND booking_values.port_row = each_port_rows_known.port_row AND booking_values.year_k = each_port_rows_known.year_k AND booking_values.year = each_port_rows_known.year
    WHERE booking_values.seats IS NOT NULL
  ) AS placed
  WHERE placed.place <= placed.most
),
-- sum(seats * Port.depth for each top 2 of known Port by seats)
x_over_rows AS (
  SELECT port_rows_known_top.year_k AS year_k,
      port_rows_known_top.year AS year,
      CAST(sum(booking_values.seats * port.depth) AS BIGINT) AS x_2
  FROM port_rows_known_top
    LEFT JOIN booking_values ON booking_values.port_row_k = port_rows_known_top.port_row_k AND booking_values.port_row = port_rows_known_top.port_row AND booking_values.year_k = port_rows_known_top.year_k AND booking_values.year = port_rows_known_top.year
    LEFT JOIN `Port` AS port ON port_rows_known_top.port_row_k = 0 AND port.code = port_rows_known_top.port_row
  GROUP BY 1, 2
)
SELECT grid.year_k, grid.year, grid.x
FROM (
  SELECT cal_lines.year_k AS year_k, cal_lines.year AS year, x_over_rows.x_2 AS x
  FROM cal_lines
    LEFT JOIN x_over_rows ON x_over_rows.year_k = cal_lines.year_k AND x_over_rows.year = cal_lines.year
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.year_k = -1, grid.year_k, grid.year ASC
