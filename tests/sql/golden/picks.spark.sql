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
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 ELSE 0 END AS name_k,
      coalesce(port_and_unmatched.name, '') AS name
  FROM port_and_unmatched
  WHERE port_and_unmatched.region = 'South' OR port_and_unmatched.region IS NULL AND port_and_unmatched.unmatched != 1 OR port_and_unmatched.unmatched = 1
),
booking_values AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_k,
      coalesce(port.name, '') AS name,
      sum(booking.fare) / nullif(CAST(count(booking.fare) AS DOUBLE), CAST(0 AS DOUBLE)) AS x_2
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  WHERE (booking.seats > 1) AND (port.region = 'South' OR port.region IS NULL AND port.code IS NOT NULL OR port.code IS NULL)
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
