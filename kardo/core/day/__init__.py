"""The day on site: tasks from the plan, the light, and a schedule."""
