WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.name, `Port`.region, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS name, CAST(NULL AS STRING) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region,
      CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
),
-- every beginning of a row line, over all columns
beginnings AS (
  SELECT started.region_k AS region_k,
      started.region AS region,
      started.name_k AS name_k,
      started.name AS name
  FROM (
    SELECT port_lines.region_k AS region_k,
        port_lines.region AS region,
        port_lines.name_k AS name_k,
        port_lines.name AS name
    FROM port_lines
    UNION ALL
    SELECT DISTINCT port_lines.region_k AS region_k,
        port_lines.region AS region,
        -1 AS name_k,
        CAST('' AS STRING) AS name
    FROM port_lines
    UNION ALL
    SELECT -1 AS region_k, CAST('' AS STRING) AS region, -1 AS name_k, CAST('' AS STRING) AS name
  ) AS started
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port.region, '') AS region,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2, 3, 4
),
booking_values AS (
  SELECT coalesce(booking_groups.name_k, -1) AS name_k,
      coalesce(booking_groups.name, '') AS name,
      coalesce(booking_groups.region_k, -1) AS region_k,
      coalesce(booking_groups.region, '') AS region,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_2
  FROM booking_groups
  GROUP BY GROUPING SETS ((booking_groups.name_k, booking_groups.name, booking_groups.region_k, booking_groups.region), (booking_groups.region_k, booking_groups.region), ())
  HAVING count(*) > 0
),
judged AS (
  SELECT beginnings.region_k AS region_k,
      beginnings.region AS region,
      beginnings.name_k AS name_k,
      beginnings.name AS name,
      booking_values.seats_2 > 1 AS judged_1,
      booking_values.seats_2 AS judged_2
  FROM beginnings
    LEFT JOIN booking_values ON booking_values.name_k = beginnings.name_k AND booking_values.name = beginnings.name AND booking_values.region_k = beginnings.region_k AND booking_values.region = beginnings.region
),
row_lines_that_hold AS (
  SELECT port_lines.region_k AS region_k,
      port_lines.region AS region,
      port_lines.name_k AS name_k,
      port_lines.name AS name
  FROM port_lines
    JOIN judged AS judged_3 ON port_lines.region_k = judged_3.region_k AND port_lines.region = judged_3.region AND judged_3.name_k = -1 AND judged_3.judged_1
),
top_row_lines AS (
  SELECT lines.region_k AS region_k, lines.region AS region, lines.name_k AS name_k, lines.name AS name
  FROM row_lines_that_hold AS lines
    JOIN (
    SELECT begun.region_k AS region_k,
        begun.region AS region,
        begun.name_k AS name_k,
        begun.name AS name,
        row_number() OVER (PARTITION BY begun.region_k, begun.region ORDER BY begun.x DESC, begun.name_k, begun.name) AS place
    FROM (
      SELECT DISTINCT row_lines_that_hold.region_k AS region_k,
          row_lines_that_hold.region AS region,
          row_lines_that_hold.name_k AS name_k,
          row_lines_that_hold.name AS name,
          judged.judged_2 AS x
      FROM row_lines_that_hold
        JOIN judged ON row_lines_that_hold.region_k = judged.region_k AND row_lines_that_hold.region = judged.region AND row_lines_that_hold.name_k = judged.name_k AND row_lines_that_hold.name = judged.name
      WHERE judged.judged_2 IS NOT NULL
    ) AS begun
  ) AS placed ON lines.region_k = placed.region_k AND lines.region = placed.region AND lines.name_k = placed.name_k AND lines.name = placed.name AND placed.place <= 1
),
row_lines_and_totals AS (
  SELECT top_row_lines.region_k AS region_k,
      top_row_lines.region AS region,
      top_row_lines.name_k AS name_k,
      top_row_lines.name AS name
  FROM top_row_lines
  UNION ALL
  SELECT DISTINCT top_row_lines.region_k AS region_k,
      top_row_lines.region AS region,
      -1 AS name_k,
      CAST('' AS STRING) AS name
  FROM top_row_lines
  UNION ALL
  SELECT -1 AS region_k, CAST('' AS STRING) AS region, -1 AS name_k, CAST('' AS STRING) AS name
)
SELECT grid.region_k, grid.region, grid.name_k, grid.name, grid.seats
FROM (
  SELECT row_lines_and_totals.region_k AS region_k,
      row_lines_and_totals.region AS region,
      row_lines_and_totals.name_k AS name_k,
      row_lines_and_totals.name AS name,
      booking_values.seats_2 AS seats
  FROM row_lines_and_totals
    LEFT JOIN booking_values ON booking_values.name_k = row_lines_and_totals.name_k AND booking_values.name = row_lines_and_totals.name AND booking_values.region_k = row_lines_and_totals.region_k AND booking_values.region = row_lines_and_totals.region
) AS grid
WHERE grid.seats IS NOT NULL
ORDER BY grid.region_k = -1, grid.region_k, grid.region ASC, grid.name_k = -1, grid.name_k, grid.name ASC
