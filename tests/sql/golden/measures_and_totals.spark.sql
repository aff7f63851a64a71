WITH
-- Cal, and its unmatched member
cal_and_unmatched AS (
  SELECT `Cal`.year, 0 AS unmatched
  FROM `Cal`
  UNION ALL
  SELECT CAST(NULL AS BIGINT) AS year, 1 AS unmatched
),
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.region, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region
  FROM port_and_unmatched
),
row_lines_and_totals AS (
  SELECT port_lines.region_k AS region_k, port_lines.region AS region
  FROM port_lines
  UNION ALL
  SELECT -1 AS region_k, CAST('' AS STRING) AS region
),
-- what of Cal is visible under the page
cal_lines AS (
  SELECT DISTINCT CASE WHEN (cal_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS year_k,
      coalesce(cal_and_unmatched.year, 0) AS year
  FROM cal_and_unmatched
),
column_lines_and_totals AS (
  SELECT cal_lines.year_k AS year_k, cal_lines.year AS year
  FROM cal_lines
  UNION ALL
  SELECT -1 AS year_k, CAST(0 AS BIGINT) AS year
),
-- the cells of the grid
cells AS (
  SELECT row_lines_and_totals.region_k AS region_k,
      row_lines_and_totals.region AS region,
      column_lines_and_totals.year_k AS year_k,
      column_lines_and_totals.year AS year
  FROM row_lines_and_totals
    JOIN column_lines_and_totals ON true
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      CASE WHEN (cal.day IS NULL) THEN 2 ELSE 0 END AS year_k,
      coalesce(cal.year, 0) AS year,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
    LEFT JOIN `Cal` AS cal ON booking.day = cal.day
  GROUP BY 1, 2, 3, 4
),
booking_values AS (
  SELECT coalesce(booking_groups.region_k, -1) AS region_k,
      coalesce(booking_groups.region, '') AS region,
      coalesce(booking_groups.year_k, -1) AS year_k,
      coalesce(booking_groups.year, 0) AS year,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_2,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_3
  FROM booking_groups
  GROUP BY GROUPING SETS ((booking_groups.region_k, booking_groups.region, booking_groups.year_k, booking_groups.year), (booking_groups.region_k, booking_groups.region), (booking_groups.year_k, booking_groups.year), ())
  HAVING count(*) > 0
)
SELECT marked.region_k, marked.region, marked.year_k, marked.year, marked.seats, marked.share
FROM (
  SELECT grid.region_k AS region_k,
      grid.region AS region,
      grid.year_k AS year_k,
      grid.year AS year,
      grid.seats AS seats,
      grid.share AS share,
      max(CASE WHEN (grid.seats IS NOT NULL OR grid.share IS NOT NULL) THEN 1 ELSE 0 END) OVER (PARTITION BY grid.region_k, grid.region) AS row_filled,
      max(CASE WHEN (grid.seats IS NOT NULL OR grid.share IS NOT NULL) THEN 1 ELSE 0 END) OVER (PARTITION BY grid.year_k, grid.year) AS column_filled
  FROM (
    SELECT cells.region_k AS region_k,
        cells.region AS region,
        cells.year_k AS year_k,
        cells.year AS year,
        booking_values.seats_2 AS seats,
        CAST(booking_values.seats_2 AS DOUBLE) / nullif(CAST(booking_values_2.seats_3 AS DOUBLE), CAST(0 AS DOUBLE)) AS share
    FROM cells
      LEFT JOIN booking_values ON booking_values.region_k = cells.region_k AND booking_values.region = cells.region AND booking_values.year_k = cells.year_k AND booking_values.year = cells.year
      LEFT JOIN booking_values AS booking_values_2 ON booking_values_2.region_k = -1 AND booking_values_2.year_k = cells.year_k AND booking_values_2.year = cells.year
  ) AS grid
) AS marked
WHERE marked.row_filled = 1 AND marked.column_filled = 1
ORDER BY marked.region_k = -1, marked.region_k, marked.region ASC, marked.year_k = -1, marked.year_k, marked.year ASC
