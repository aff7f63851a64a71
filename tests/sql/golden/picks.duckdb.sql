WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT "Port".name, "Port".region, 0 AS unmatched
  FROM "Port"
  UNION ALL
  SELECT CAST(NULL AS TEXT) AS name, CAST(NULL AS TEXT) AS region, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
  WHERE CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END = 0 AND coalesce(port_and_unmatched.region, '') IN ('South') OR CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END = 1 OR CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END = 2
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      sum(booking.fare) / nullif(CAST(count(booking.fare) AS DOUBLE PRECISION), CAST(0 AS DOUBLE PRECISION)) AS x_2
  FROM "Booking" AS booking
    LEFT JOIN "Port" AS port ON booking.port = port.code
  WHERE (booking.seats > 1) AND (CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END = 0 AND coalesce(port.region, '') IN ('South') OR CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END = 1 OR CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END = 2)
  GROUP BY 1, 2
)
SELECT grid.name_k, grid.name, grid.x
FROM (
  SELECT port_lines.name_k AS name_k, port_lines.name AS name, booking_values.x_2 AS x
  FROM port_lines
    LEFT JOIN booking_values ON booking_values.name_k = port_lines.name_k AND booking_values.name = port_lines.name
) AS grid
WHERE grid.x IS NOT NULL
ORDER BY grid.name_k = -1, grid.name_k, grid.name ASC
