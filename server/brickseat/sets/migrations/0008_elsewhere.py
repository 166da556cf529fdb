from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('sets', '0007_told_entries'),
    ]

    operations = [
        migrations.RenameField('historyentry', 'told', 'elsewhere'),
    ]
