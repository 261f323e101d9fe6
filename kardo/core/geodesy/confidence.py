"""From one standard deviation to what 95 in 100 stay within, and to what a test finds."""

RADIAL_95 = 2.4477  # of a circular normal distribution, per component: root of the 95 % point of chi-squared of two
VERTICAL_95 = 1.9600
NON_CENTRALITY = (
    4.13  # sigmas of a gross error found with 80 % power at a risk of 0.1 %: Baarda, A testing procedure (1968)
)
