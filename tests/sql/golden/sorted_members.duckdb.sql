WITH
-- Cal, and its unmatched member
cal_and_unmatched AS (
  SELECT "Cal".week, 0 AS unmatched
  FROM "Cal"
  UNION ALL
  SELECT CAST(NULL AS BIGINT) AS week, 1 AS unmatched
),
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT "Port".region, 0 AS unmatched
  FROM "Port"
  UNION ALL
  SELECT CAST(NULL AS TEXT) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region
  FROM port_and_unmatched
),
-- what of Cal is visible under the page
cal_lines AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS week_k,
      coalesce(cal_and_unmatched.week, 0) AS week
  FROM cal_and_unmatched
),
-- the cells of the grid
cells AS (
  SELECT port_lines.region_k AS region_k,
      port_lines.region AS region,
      cal_lines.week_k AS week_k,
      cal_lines.week AS week
  FROM port_lines
    JOIN cal_lines ON true
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      CASE WHEN (cal.day IS NULL) THEN 2 ELSE 0 END AS week_k,
      coalesce(cal.week, 0) AS week,
      CAST(sum(booking.seats) AS BIGINT) AS seats_2
  FROM "Booking" AS booking
    LEFT JOIN "Port" AS port ON booking.port = port.code
    LEFT JOIN "Cal" AS cal ON booking.day = cal.day
  GROUP BY 1, 2, 3, 4
)
SELECT marked.region_k, marked.region, marked.week_k, marked.week, marked.seats
FROM (
  SELECT grid.region_k AS region_k,
      grid.region AS region,
      grid.week_k AS week_k,
      grid.week AS week,
      grid.seats AS seats,
      max(CASE WHEN (grid.seats IS NOT NULL) THEN 1 ELSE 0 END) OVER (PARTITION BY grid.region_k, grid.region) AS row_filled,
      max(CASE WHEN (grid.seats IS NOT NULL) THEN 1 ELSE 0 END) OVER (PARTITION BY grid.week_k, grid.week) AS column_filled
  FROM (
    SELECT cells.region_k AS region_k,
        cells.region AS region,
        cells.week_k AS week_k,
        cells.week AS week,
        booking_values.seats_2 AS seats
    FROM cells
      LEFT JOIN booking_values ON booking_values.region_k = cells.region_k AND booking_values.region = cells.region AND booking_values.week_k = cells.week_k AND booking_values.week = cells.week
  ) AS grid
) AS marked
WHERE marked.row_filled = 1 AND marked.column_filled = 1
ORDER BY marked.region_k = -1, marked.region_k, marked.region DESC, marked.region_k, marked.region ASC, marked.week_k = -1, marked.week_k, marked.week ASC
