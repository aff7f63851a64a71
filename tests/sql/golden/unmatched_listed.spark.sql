WITH
-- Port, and its unmatched member
port_and_unmatched AS (
  SELECT `Port`.region, `Port`.depth, 0 AS unmatched
  FROM `Port`
  UNION ALL
  SELECT CAST(NULL AS STRING) AS region, CAST(NULL AS BIGINT) AS depth, 1 AS unmatched
),
-- every Port.region
port_rows AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_k,
      coalesce(port_and_unmatched.region, '') AS region
  FROM port_and_unmatched
),
-- set Port.region in every Port.region
port_listed AS (
  SELECT DISTINCT port_rows.region_k AS region_2_k, port_rows.region AS region_2
  FROM port_rows
),
-- rows of Booking, grouped
booking_groups AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_3_k,
      coalesce(port.region, '') AS region_3,
      sum(booking.seats) AS seats_sum
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2
),
booking_values AS (
  SELECT CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats
  FROM booking_groups
    JOIN port_listed ON booking_groups.region_3_k = port_listed.region_2_k AND booking_groups.region_3 = port_listed.region_2
  HAVING count(*) > 0
),
-- every Port.region
port_rows_2 AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_4_k,
      coalesce(port_and_unmatched.region, '') AS region_4
  FROM port_and_unmatched
),
-- set Port.name in every Port.region
port_listed_2 AS (
  SELECT DISTINCT port_rows_2.region_4_k AS name_k, port_rows_2.region_4 AS name
  FROM port_rows_2
  WHERE port_rows_2.region_4_k != 2
),
-- rows of Booking, grouped
booking_groups_2 AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 ELSE 0 END AS name_2_k,
      coalesce(port.name, '') AS name_2,
      sum(booking.seats) AS seats_sum_2
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2
),
booking_values_2 AS (
  SELECT CAST(sum(booking_groups_2.seats_sum_2) AS BIGINT) AS seats_2
  FROM booking_groups_2
    JOIN port_listed_2 ON booking_groups_2.name_2_k = port_listed_2.name_k AND booking_groups_2.name_2 = port_listed_2.name
  HAVING count(*) > 0
),
-- every (Port.region, Port.depth)
port_rows_3 AS (
  SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_5_k,
      coalesce(port_and_unmatched.region, '') AS region_5,
      CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_k,
      coalesce(port_and_unmatched.depth, 0) AS depth
  FROM port_and_unmatched
),
-- set (Port.region, Port.depth) in every (Port.region, Port.depth)
port_listed_3 AS (
  SELECT DISTINCT members_4.region_6_k AS region_6_k,
      members_4.region_6 AS region_6,
      members_4.depth_2_k AS depth_2_k,
      members_4.depth_2 AS depth_2
  FROM port_rows_3
    JOIN (
    SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_6_k,
        coalesce(port_and_unmatched.region, '') AS region_6,
        CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_2_k,
        coalesce(port_and_unmatched.depth, 0) AS depth_2
    FROM port_and_unmatched
  ) AS members_4 ON members_4.region_6_k = port_rows_3.region_5_k AND members_4.region_6 = port_rows_3.region_5 AND members_4.depth_2_k = port_rows_3.depth_k AND members_4.depth_2 = port_rows_3.depth
),
-- rows of Booking, grouped
booking_groups_3 AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.depth IS NULL) THEN 1 ELSE 0 END AS depth_3_k,
      coalesce(port.depth, 0) AS depth_3,
      CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.region IS NULL) THEN 1 ELSE 0 END AS region_7_k,
      coalesce(port.region, '') AS region_7,
      sum(booking.seats) AS seats_sum_3
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2, 3, 4
),
booking_values_3 AS (
  SELECT CAST(sum(booking_groups_3.seats_sum_3) AS BIGINT) AS seats_3
  FROM booking_groups_3
    JOIN port_listed_3 ON booking_groups_3.region_7_k = port_listed_3.region_6_k AND booking_groups_3.region_7 = port_listed_3.region_6 AND booking_groups_3.depth_3_k = port_listed_3.depth_2_k AND booking_groups_3.depth_3 = port_listed_3.depth_2
  HAVING count(*) > 0
),
-- values (5.0), (NULL)
listed AS (
  SELECT 0 AS line_k, 0 AS line, CAST(5.0 AS DOUBLE) AS column1
  FROM (
    SELECT 1 AS one
  ) AS one_context
  UNION ALL
  SELECT 0 AS line_k, 1 AS line, CAST(NULL AS DOUBLE) AS column1
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
-- set Port.depth in values (5.0), (NULL)
port_listed_4 AS (
  SELECT DISTINCT members_3.depth_4_k AS depth_4_k, members_3.depth_4 AS depth_4
  FROM listed
    JOIN (
    SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_4_k,
        coalesce(port_and_unmatched.depth, 0) AS depth_4
    FROM port_and_unmatched
  ) AS members_3 ON members_3.depth_4_k = CASE WHEN (listed.column1 IS NULL) THEN 1 ELSE 0 END AND (members_3.depth_4_k != 0 OR CAST(members_3.depth_4 AS DOUBLE) = coalesce(listed.column1, 0))
  WHERE CASE WHEN (listed.column1 IS NULL) THEN 1 ELSE 0 END != 2
),
-- rows of Booking, grouped
booking_groups_4 AS (
  SELECT CASE WHEN (port.code IS NULL) THEN 2 WHEN (port.depth IS NULL) THEN 1 ELSE 0 END AS depth_5_k,
      coalesce(port.depth, 0) AS depth_5,
      sum(booking.seats) AS seats_sum_4
  FROM `Booking` AS booking
    LEFT JOIN `Port` AS port ON booking.port = port.code
  GROUP BY 1, 2
),
booking_values_4 AS (
  SELECT CAST(sum(booking_groups_4.seats_sum_4) AS BIGINT) AS seats_4
  FROM booking_groups_4
    JOIN port_listed_4 ON booking_groups_4.depth_5_k = port_listed_4.depth_4_k AND booking_groups_4.depth_5 = port_listed_4.depth_4
  HAVING count(*) > 0
),
-- values (5.5)
listed_2 AS (
  SELECT 0 AS line_2_k, 0 AS line_2, CAST(5.5 AS DOUBLE) AS column1_2
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
-- set Port.depth in values (5.5)
port_listed_5 AS (
  SELECT DISTINCT members_2.depth_6_k AS depth_6_k, members_2.depth_6 AS depth_6
  FROM listed_2
    JOIN (
    SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_6_k,
        coalesce(port_and_unmatched.depth, 0) AS depth_6
    FROM port_and_unmatched
  ) AS members_2 ON members_2.depth_6_k = CASE WHEN (listed_2.column1_2 IS NULL) THEN 1 ELSE 0 END AND (members_2.depth_6_k != 0 OR CAST(members_2.depth_6 AS DOUBLE) = coalesce(listed_2.column1_2, 0))
  WHERE CASE WHEN (listed_2.column1_2 IS NULL) THEN 1 ELSE 0 END != 2
),
booking_values_5 AS (
  SELECT CAST(sum(booking_groups_4.seats_sum_4) AS BIGINT) AS seats_5
  FROM booking_groups_4
    JOIN port_listed_5 ON booking_groups_4.depth_5_k = port_listed_5.depth_6_k AND booking_groups_4.depth_5 = port_listed_5.depth_6
  HAVING count(*) > 0
),
-- values ('South', 5)
listed_3 AS (
  SELECT 0 AS line_3_k, 0 AS line_3, 'South' AS column1_3, 5 AS column2
  FROM (
    SELECT 1 AS one
  ) AS one_context
),
-- set (Port.region, Port.depth) in values ('South', 5)
port_listed_6 AS (
  SELECT DISTINCT members.region_8_k AS region_8_k,
      members.region_8 AS region_8,
      members.depth_7_k AS depth_7_k,
      members.depth_7 AS depth_7
  FROM listed_3
    JOIN (
    SELECT DISTINCT CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.region IS NULL) THEN 1 ELSE 0 END AS region_8_k,
        coalesce(port_and_unmatched.region, '') AS region_8,
        CASE WHEN (port_and_unmatched.unmatched = 1) THEN 2 WHEN (port_and_unmatched.depth IS NULL) THEN 1 ELSE 0 END AS depth_7_k,
        coalesce(port_and_unmatched.depth, 0) AS depth_7
    FROM port_and_unmatched
  ) AS members ON members.region_8_k = CASE WHEN (listed_3.column1_3 IS NULL) THEN 1 ELSE 0 END AND members.region_8 = coalesce(listed_3.column1_3, '') AND members.depth_7_k = CASE WHEN (listed_3.column2 IS NULL) THEN 1 ELSE 0 END AND members.depth_7 = coalesce(listed_3.column2, 0)
  WHERE CASE WHEN (listed_3.column1_3 IS NULL) THEN 1 ELSE 0 END != 2 AND CASE WHEN (listed_3.column2 IS NULL) THEN 1 ELSE 0 END != 2
),
port_listed_6_less AS (
  SELECT DISTINCT port_listed_6.region_8_k AS region_9_k, port_listed_6.region_8 AS region_9
  FROM port_listed_6
),
booking_values_6 AS (
  SELECT CAST(sum(booking_groups.seats_sum) AS BIGINT) AS seats_6
  FROM booking_groups
    JOIN port_listed_6_less ON booking_groups.region_3_k = port_listed_6_less.region_9_k AND booking_groups.region_3 = port_listed_6_less.region_9
  HAVING count(*) > 0
)
SELECT booking_values.seats AS x,
    booking_values_2.seats_2 AS y,
    booking_values_3.seats_3 AS z,
    booking_values_4.seats_4 AS u,
    booking_values_5.seats_5 AS v,
    booking_values_6.seats_6 AS w
FROM (
  SELECT 1 AS one
) AS one_context
  LEFT JOIN booking_values ON true
  LEFT JOIN booking_values_2 ON true
  LEFT JOIN booking_values_3 ON true
  LEFT JOIN booking_values_4 ON true
  LEFT JOIN booking_values_5 ON true
  LEFT JOIN booking_values_6 ON true
