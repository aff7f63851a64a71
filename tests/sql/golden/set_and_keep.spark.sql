WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.name, `Port`.region, `Port`.depth, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS name,
      CAST(NULL AS STRING) AS region,
      CAST(NULL AS BIGINT) AS depth,
      1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
),
port_values AS (
  SELECT 0 AS name_k, port.name AS name, max(port.depth) AS x_2
  FROM `Port` AS port
  WHERE port.region = 'South'
  GROUP BY 1, 2
),
port_members AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_k,
      coalesce(port_and_unmatched.depth, 0) AS depth
  FROM port_and_unmatched
),
-- keep Port.depth <= max(Port.depth)
port_allowed AS (
  SELECT port_lines.name_k AS name_k,
      port_lines.name AS name,
      port_members.depth_k AS depth_k,
      port_members.depth AS depth
  FROM port_lines
    JOIN port_members ON true
    LEFT JOIN port_values ON port_values.name_k = port_lines.name_k AND port_values.name = port_lines.name
  WHERE CASE WHEN (port_members.depth_k = 0) THEN port_members.depth END <= port_values.x_2
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.depth IS NULL) THEN 1 ELSE 0 END AS depth_2_k,
      coalesce(port.depth, 0) AS depth_2,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2, 3, 4
),
booking_values AS (
  SELECT booking_groups.name_k AS name_k,
      booking_groups.name AS name,
      CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats
  FROM booking_groups
    JOIN port_allowed ON booking_groups.depth_2_k = port_allowed.depth_k AND booking_groups.depth_2 = port_allowed.depth AND port_allowed.name_k = booking_groups.name_k AND port_allowed.name = booking_groups.name
  GROUP BY 1, 2
)
SELECT grid.name_k, grid.name, grid.x
FROM (
  SELECT port_lines.name_k AS name_k, port_lines.name AS name, booking_values.seats AS x
  FROM port_lines
    LEFT JOIN booking_values ON booking_values.name_k = port_lines.name_k AND booking_values.name = port_lines.name
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.name_k = -1, grid.name_k, grid.name ASC
