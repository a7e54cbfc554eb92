# What the command runs in R.
eggcrate:::run_alone()
