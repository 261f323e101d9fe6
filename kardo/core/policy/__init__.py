"""The rules of practice as an organisation asks them: one immutable object, carried by the plan to whatever acts on a
figure."""
