WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT "Port".name, 0 AS unmatched
  FROM "Port"
  UNION ALL
  SELECT CAST(NULL AS TEXT) AS name, 1 AS unmatched
),
-- what of Port is visible under the page
port_lines AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      CAST(sum(booking.seats) AS BIGINT) AS seats_2
  FROM "Booking" AS booking
    LEFT JOIN "Port" AS port ON booking.port = port.code
  GROUP BY 1, 2
)
SELECT grid.name_k, grid.name, grid.seats
FROM (
  SELECT port_lines.name_k AS name_k, port_lines.name AS name, booking_values.seats_2 AS seats
  FROM port_lines
    LEFT JOIN booking_values ON booking_values.name_k = port_lines.name_k AND booking_values.name = port_lines.name
) AS grid
WHERE grid.seats IS NOT NULL
ORDER BY grid.name_k = -1, grid.seats IS NULL, grid.seats DESC, grid.name_k, grid.name COLLATE "C" ASC
