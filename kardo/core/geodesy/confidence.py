"""From one standard deviation to what 95 in 100 stay within."""

RADIAL_95 = 2.4477  # of a circular normal distribution, per component: root of the 95 % point of chi-squared of two
VERTICAL_95 = 1.9600
